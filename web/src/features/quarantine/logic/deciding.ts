/** Acts on the quarantine of a delivery: one record amended, an act undone, a file put for the supplier, what waits applied. */
import { api, unwrap, type Schemas } from '@/api/client'
import { useMutation } from '@tanstack/vue-query'
import { computed, type Ref } from 'vue'
import { putForSupplier } from './answer'

/** `run` is what the person sees: a newer one refuses what was decided on an older. */
export function useDeciding(
  id: Ref<number>,
  run: () => number | null | undefined,
  onSuccess: () => Promise<void>,
) {
  const path = computed(() => ({ delivery_id: id.value }))
  const amend = useMutation({
    mutationFn: (asked: { record: number; values: Record<string, string | null>; apply: boolean }) =>
      unwrap(
        api.POST('/api/deliveries/{delivery_id}/decisions', {
          params: { path: path.value },
          body: {
            kind: 'amend', records: [asked.record], values: asked.values, apply: asked.apply, ...(run() ? { run: run() } : {}),
          } as Schemas['DecisionIn'],
        }),
      ),
    onSuccess,
  }) // prettier-ignore
  const undo = useMutation({
    mutationFn: (decision: number) =>
      unwrap(
        api.POST('/api/deliveries/{delivery_id}/decisions/{decision_id}/undo', {
          params: { path: { ...path.value, decision_id: decision } },
        }),
      ),
    onSuccess,
  })
  const send = useMutation({
    mutationFn: (decision: number) => unwrap(putForSupplier(id.value, decision)),
    onSuccess,
  })
  const apply = useMutation({
    mutationFn: () =>
      unwrap(api.POST('/api/deliveries/{delivery_id}/decisions/apply', { params: { path: path.value } })),
    onSuccess,
  })
  const busy = computed(() => [amend, undo, send, apply].some((each) => each.isPending.value))
  return { amend, undo, send, apply, busy }
}
