import { useQuery } from '@tanstack/react-query'
import { api, ask, rememberToken } from '../api/client'
import { loadVocabulary } from './vocabulary'
import { loadWorkshop } from './words'

/** Who is signed in; also fetches the token that writing calls carry. */
export function useSession() {
  return useQuery({
    queryKey: ['session'],
    queryFn: async () => {
      const session = await ask(api.GET('/api/session'))
      rememberToken(session.csrf_token)
      if (session.person) await Promise.all([loadVocabulary(), loadWorkshop()])
      return session
    },
    staleTime: Infinity,
  })
}
