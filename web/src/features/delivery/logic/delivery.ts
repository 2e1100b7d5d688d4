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
  return { id, delivery: data, error, isLoading, refresh, ask }
}

/** When the running job of the delivery ends, everything computed from it is asked for again. */
export function useFreshAfterWork(delivery: ReturnType<typeof useDelivery>['delivery']): void {
  const queries = useQueryClient()
  watch(
    () => delivery.value?.job?.id,
    (now, before) => {
      if (before && now !== before) {
        void queries.invalidateQueries({
          predicate: (query) => query.queryKey[0] !== 'session' && query.queryKey[0] !== 'delivery',
        })
      }
    },
  )
}
