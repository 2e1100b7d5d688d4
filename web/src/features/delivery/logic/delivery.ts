/** The delivery that is open: its workspace, kept fresh while work is going on. */
import { api, unwrap, type Schemas } from '@/api/client'
import { markOf, useWork } from '@/features/work'
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, watch, type Ref } from 'vue'
import { useRoute } from 'vue-router'

export function useDelivery() {
  const route = useRoute()
  const queries = useQueryClient()
  const id = computed(() => Number(route.params.id))
  const path = computed(() => ({ path: { delivery_id: id.value } }))
  const { data, error, isLoading } = useQuery({
    queryKey: ['delivery', id],
    queryFn: () => unwrap(api.GET('/api/deliveries/{delivery_id}', { params: path.value })),
    enabled: () => id.value > 0,
  })
  const refresh = () => queries.invalidateQueries({ queryKey: ['delivery', id.value] })
  const ask = useMutation({
    mutationFn: (purpose: 'trials' | 'runs') =>
      unwrap(
        purpose === 'runs'
          ? api.POST('/api/deliveries/{delivery_id}/runs', { params: path.value })
          : api.POST('/api/deliveries/{delivery_id}/trials', { params: path.value }),
      ),
    onSettled: refresh,
  })
  // what stood in the way of the last try may be settled since: its refusal is not news any more
  watch(
    () => [data.value?.changes_open, data.value?.state, data.value?.revision],
    () => ask.error.value && ask.reset(),
  )
  return { id, delivery: data, error, isLoading, refresh, ask }
}

type Work = Schemas['WorkOut'] | undefined
type Workspace = Schemas['WorkspaceOut']

/** The workspace with what is known of its job since: how far it is. */
export function withProgress(workspace: Workspace, work: Work): Workspace {
  const now = work?.jobs.find((job) => job.id === workspace.job?.id)
  if (!now || !workspace.job) return workspace
  return { ...workspace, job: { ...workspace.job, state: now.state, step: now.step, share: now.share } }
}

/** What of the work on a delivery matters to all that is shown of it: what began or ended, and the steps; how often a
 * step counts does not.
 */
export function stageOf(work: Work, delivery: number): string {
  const own = work?.jobs.filter((job) => job.delivery_id === delivery) ?? []
  const steps = own.map((job) => `${job.id} ${job.state} ${job.step.replace(/[\d.,]+/g, '')}`)
  return work ? [markOf({ newest: work.newest, jobs: own }), ...steps].join(' | ') : ''
}

/** Keep the open delivery in step with the work on it; to be used once on a page. */
export function useLiveWork(id: Ref<number>, delivery: Ref<Workspace | undefined>): void {
  const queries = useQueryClient()
  const work = useWork()
  watch(work, (now) =>
    queries.setQueryData<Workspace>(['delivery', id.value], (was) => was && withProgress(was, now)),
  )
  watch(
    () => stageOf(work.value, id.value),
    (_, before) => before && queries.invalidateQueries({ queryKey: ['delivery', id.value] }),
  )
  watch(
    () => delivery.value?.job?.id,
    () => queries.invalidateQueries({ queryKey: ['work'] }),
  )
}

/** When work on the delivery ends, also work too short to be seen running, everything computed from it is asked
 * for again. */
export function useFreshAfterWork(delivery: ReturnType<typeof useDelivery>['delivery']): void {
  const queries = useQueryClient()
  watch(
    () => {
      const { job, last_job: last } = delivery.value ?? {}
      return `${job?.id} ${last?.id} ${last?.state}`
    },
    (_, before) => {
      if (before.startsWith('undefined undefined')) return // the first look
      void queries.invalidateQueries({
        predicate: (query) =>
          !['session', 'delivery', 'analysis', 'work'].includes(String(query.queryKey[0])),
      })
    },
  )
}
