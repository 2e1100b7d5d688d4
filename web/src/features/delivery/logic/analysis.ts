/** An analysis that takes a while: asked for once, followed while it is worked on, then read. */
import { api, unwrap, type Schemas } from '@/api/client'
import { useQuery } from '@tanstack/vue-query'
import { computed, type Ref } from 'vue'

export function useAnalysis<Found>(
  key: Ref<unknown[]>,
  ask: () => Promise<Schemas['AnalysisOut']>,
  read: (id: number) => Promise<Found>,
  enabled: () => boolean = () => true,
) {
  const asked = useQuery({
    queryKey: ['analysis', key],
    queryFn: ask,
    enabled,
    staleTime: Infinity,
    retry: false,
  })
  const id = computed(() => asked.data.value?.id)
  const job = useQuery({
    queryKey: ['analysis', 'job', computed(() => asked.data.value?.job?.id)],
    queryFn: () =>
      unwrap(api.GET('/api/jobs/{job_id}', { params: { path: { job_id: asked.data.value!.job!.id } } })),
    enabled: () => Boolean(asked.data.value?.job),
    refetchInterval: (query) =>
      ['waiting', 'working'].includes(query.state.data?.state ?? 'waiting') ? 400 : false,
  })
  const done = computed(
    () => id.value !== undefined && (!asked.data.value?.job || job.data.value?.state === 'done') && enabled(),
  )
  const result = useQuery({
    queryKey: ['analysis', 'found', computed(() => key.value[0]), id], // each kind counts its own
    queryFn: () => read(id.value!),
    enabled: () => done.value,
    staleTime: Infinity,
  })
  const failed = computed(() => {
    const state = job.data.value?.state
    if (!asked.data.value?.job || (state !== 'failed' && state !== 'cancelled')) return undefined
    const error = job.data.value?.error as { detail?: string } | null
    return new Error(state === 'cancelled' ? 'This was cancelled.' : (error?.detail ?? 'The work failed.'))
  })
  return {
    id: computed(() => (result.data.value && done.value ? id.value : undefined)),
    data: computed(() => (done.value ? result.data.value : undefined)),
    error: computed(() => asked.error.value ?? failed.value ?? result.error.value),
    share: computed(() => job.data.value?.share ?? 0),
    busy: computed(() => enabled() && !done.value && !failed.value && !asked.error.value),
    again: () => asked.refetch(),
  }
}
