import { useEffect, useRef, useState } from 'react'
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

/**
 * What a list is filtered by. It stays in the address, also after a jump that names none; one that a jump
 * names, or the way back, is taken over. The list does not wait for the address.
 */
export function useFilter(): [string, (filter: string) => void] {
  const [search, setSearch] = useSearchParams()
  const here = search.get('filter') ?? ''
  const [filter, setFilter] = useState(here)
  /** What this list knows of the address; anything else was put there by somebody else. */
  const known = useRef(here)
  useEffect(() => {
    if (here === filter) {
      known.current = here
      return
    }
    if (here && here !== known.current) {
      known.current = here
      setFilter(here)
      return
    }
    const timer = setTimeout(() => {
      known.current = filter
      setSearch(addressWith('filter', filter), { replace: true })
    }, ADDRESS_AFTER_MS)
    return () => clearTimeout(timer)
  }, [filter, here, setSearch])
  return [filter, setFilter]
}
