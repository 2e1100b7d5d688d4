/** The delivery that is open: its workspace, kept fresh while work is going on. */
import { api, must } from '@/api/client'
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, watch } from 'vue'
import { useRoute } from 'vue-router'

export function useDelivery() {
  const route = useRoute()
  const queries = useQueryClient()
  const id = computed(() => Number(route.params.id))
  const path = computed(() => ({ path: { delivery_id: id.value } }))
  const { data, error, isLoading } = useQuery({
    queryKey: ['delivery', id],
    queryFn: () => must(api.GET('/api/deliveries/{delivery_id}', { params: path.value })),
    refetchInterval: (query) => (query.state.data?.job ? 400 : false),
    enabled: () => id.value > 0,
  })
  const refresh = () => queries.invalidateQueries({ queryKey: ['delivery', id.value] })
  const ask = useMutation({
    mutationFn: (purpose: 'trials' | 'runs') =>
      must(
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
        predicate: (query) => !['session', 'delivery', 'analysis'].includes(String(query.queryKey[0])),
      })
    },
  )
}
