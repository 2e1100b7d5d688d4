/** What goes on in the background: asked for in one small answer, so that pages ask for the rest only when it changed. */
import { api, unwrap } from '@/api/client'
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, watch } from 'vue'

const SOON = 500 // milliseconds, while something goes on
const LATER = 3_000

/** All work that waits or goes on, looked at again and again. */
export function useWork() {
  const { data } = useQuery({
    queryKey: ['work'],
    queryFn: () => unwrap(api.GET('/api/jobs')),
    refetchInterval: (query) => (query.state.data?.jobs.length ? SOON : LATER),
  })
  return data
}

/** A text that changes when work began or ended. */
export function markOf(work: { newest: number; jobs: readonly { id: number }[] } | undefined): string {
  return work ? [work.newest, ...work.jobs.map((job) => job.id)].join(' ') : ''
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
