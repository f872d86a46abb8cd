import type { QueryClient, QueryKey } from '@tanstack/react-query'

/** Show what a write answered with; what was asked for before it and is still on its way is older, and is dropped. */
export function shows<Data>(queries: QueryClient, queryKey: QueryKey, data: Data): void {
  void queries.cancelQueries({ queryKey, exact: true })
  queries.setQueryData(queryKey, data)
}
