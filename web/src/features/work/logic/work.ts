/** What goes on in the background: asked for in one small answer, so that pages ask for the rest only when it changed. */
import { api, unwrap } from '@/api/client'
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, watch, type Ref } from 'vue'

const SOON = 500 // milliseconds, while something goes on
const LATER = 3_000

/** All work that waits or goes on, looked at again and again. */
export const useWork = () => useWorkQuery().data

function useWorkQuery() {
  return useQuery({
    queryKey: ['work'],
    queryFn: () => unwrap(api.GET('/api/jobs')),
    refetchInterval: (query) => (query.state.data?.jobs.length ? SOON : LATER),
  })
}

/** A text that changes when work began or ended. */
export function markOf(work: { newest: number; jobs: readonly { id: number }[] } | undefined): string {
  return work ? [work.newest, ...work.jobs.map((job) => job.id)].join(' ') : ''
}

/** For the frame: whether it is known what work goes on. Pages wait for that, because what is asked for afterwards cannot
 * miss an end: it shows the work as over, or the mark changes later. Answers kept for pages that are not open are out of
 * date once it changes.
 */
export function useWorkKnown(): Ref<boolean> {
  const queries = useQueryClient()
  const { data, isFetched } = useWorkQuery()
  watch(
    () => markOf(data.value),
    (_, before) => before && void queries.invalidateQueries({ type: 'inactive', refetchType: 'none' }),
  )
  return isFetched
}

/** Whenever work began or ended, ask anew for what begins with these keys. */
export function useFreshWithWork(...keys: string[]): void {
  const queries = useQueryClient()
  const work = useWork()
  const mark = computed(() => markOf(work.value))
  watch(mark, (_, before) => {
    if (before) for (const key of keys) void queries.invalidateQueries({ queryKey: [key] })
  })
}
