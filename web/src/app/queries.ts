/** How answers of the server are kept in the browser. */
import { Problem } from '@/api/client'
import { QueryClient } from '@tanstack/vue-query'
import { passes, pause } from './outage'

export const queryClient = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 2_000,
      refetchOnWindowFocus: true,
      // what passes by itself is asked again for two minutes
      retry: (times, error) =>
        passes(error) ? times < 30 : times < 2 && error instanceof Problem && error.status >= 500,
      retryDelay: pause,
    },
  },
})
