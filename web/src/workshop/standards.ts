import { api, ask } from '../api/client'

/** All standards with gates, prices and history. */
export const standardsQuery = {
  queryKey: ['standards'],
  queryFn: () => ask(api.GET('/api/furnish/standards')),
}
