import { useEffect, useState } from 'react'
import { useSearchParams } from 'react-router'

const ADDRESS_AFTER_MS = 120

/** What a list is filtered by. It stays in the address, also after a jump; the list does not wait for that. */
export function useFilter(): [string, (filter: string) => void] {
  const [search, setSearch] = useSearchParams()
  const [filter, setFilter] = useState(() => search.get('filter') ?? '')
  useEffect(() => {
    if ((search.get('filter') ?? '') === filter) return
    const timer = setTimeout(() => setSearch((now) => {
      if (filter) now.set('filter', filter)
      else now.delete('filter')
      return now
    }, { replace: true }), ADDRESS_AFTER_MS)
    return () => clearTimeout(timer)
  }, [filter, search, setSearch])
  return [filter, setFilter]
}
