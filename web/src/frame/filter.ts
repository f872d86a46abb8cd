import { useEffect, useState } from 'react'
import { useSearchParams } from 'react-router'

const ADDRESS_AFTER_MS = 120

/**
 * The address as it is now, changed by one name; nothing where it is empty. What the router hands to a change is
 * of its last drawing: two changes at once would undo each other.
 */
export const addressWith = (name: string, value: string): URLSearchParams => {
  const now = new URLSearchParams(location.search)
  if (value) now.set(name, value)
  else now.delete(name)
  return now
}

/** What a list is filtered by. It stays in the address, also after a jump; the list does not wait for that. */
export function useFilter(): [string, (filter: string) => void] {
  const [search, setSearch] = useSearchParams()
  const [filter, setFilter] = useState(() => search.get('filter') ?? '')
  useEffect(() => {
    if ((search.get('filter') ?? '') === filter) return
    const timer = setTimeout(() => setSearch(addressWith('filter', filter), { replace: true }), ADDRESS_AFTER_MS)
    return () => clearTimeout(timer)
  }, [filter, search, setSearch])
  return [filter, setFilter]
}
