/** Where answers are kept, and how often what failed is asked again. */
import { MutationCache, QueryClient } from '@tanstack/vue-query'
import { Problem } from '@/api/client'
import { heard } from '@/api/keys'

// The connection is watched by ourselves: left to the library, an edit made while it is away waits, and is sent when it is
// back, although it was discarded meanwhile.
export const client = new QueryClient({
  mutationCache: new MutationCache({
    onSettled: (_, error, content) => {
      if (!(error instanceof Problem && error.status === 0)) heard(content)
    },
  }),
  defaultOptions: {
    mutations: { networkMode: 'always' },
    queries: {
      networkMode: 'always',
      staleTime: Infinity,
      gcTime: 60_000,
      retry: (count, error) =>
        count < 2 && error instanceof Problem && (error.status === 0 || error.status >= 500),
    },
  },
})
