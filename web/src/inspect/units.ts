import { api, ask } from '../api/client'

/** Units of a batch in one stage; light enough for thousands. */
export const unitsQuery = (slug: string, stage: string) => ({
  queryKey: ['units', slug, stage],
  queryFn: () => ask(api.GET('/api/batches/{slug}/units', { params: { path: { slug }, query: { stage } } })),
})
