/** How answers of the server are kept in the browser. */
import { Problem } from '@/api/client'
import { QueryClient } from '@tanstack/vue-query'

export const queryClient = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 2_000,
      refetchOnWindowFocus: true,
      retry: (times, error) =>
        times < 2 && error instanceof Problem && (error.status === 0 || error.status >= 500),
    },
  },
})
