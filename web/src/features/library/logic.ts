/** Keeping an entry of the library: then the list is asked for anew. */
import { useMutation, useQueryClient } from '@tanstack/vue-query'

export function useKeeping<T>(ask: () => Promise<T>, done: (kept: T) => void) {
  const queries = useQueryClient()
  return useMutation({
    mutationFn: ask,
    onSuccess: async (kept) => {
      await queries.invalidateQueries({ queryKey: ['library'] })
      await queries.invalidateQueries({ queryKey: ['rulebook'] })
      done(kept)
    },
  })
}
