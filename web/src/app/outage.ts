/** Whether the server or its database is away: asked again by itself, and said meanwhile. */
import { Problem } from '@/api/client'
import type { QueryClient } from '@tanstack/vue-query'
import { onBeforeUnmount, ref, type Ref } from 'vue'

/** Whether an error passes by itself: nothing answers, or the database does not. */
export function passes(error: unknown): error is Problem {
  return error instanceof Problem && (error.status === 0 || error.status === 503)
}

/** Milliseconds until the next try: soon at first, then every few seconds. */
export const pause = (tries: number): number => Math.min(500 * 2 ** tries, 4_000)

/** What is away, in words, while anything that is asked waits for it; empty when all is well. */
export function useOutage(client: QueryClient): Ref<string> {
  const outage = ref('')
  const cache = client.getQueryCache()
  const look = () => {
    const waiting = cache
      .getAll()
      .map((query) => query.state)
      .find((state) => state.fetchStatus !== 'idle' && passes(state.fetchFailureReason))
    const reason = waiting?.fetchFailureReason
    outage.value = reason instanceof Problem ? `${reason.title}, trying again …` : ''
  }
  const stop = cache.subscribe(look)
  onBeforeUnmount(stop)
  return outage
}
