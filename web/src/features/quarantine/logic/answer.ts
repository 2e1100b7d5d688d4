/** What came back from a supplier: a file that a person has, or one that arrived by itself. */
import { api, type Schemas } from '@/api/client'

export type Arrived = Schemas['ArrivedOut']

/** Ask what a file says; with `apply` it becomes an amendment. */
export function sendAnswer(delivery: number, file: File, apply: boolean) {
  const body = new FormData()
  body.append('file', file)
  return api.POST('/api/deliveries/{delivery_id}/quarantine/answer', {
    params: { path: { delivery_id: delivery }, query: { apply } },
    body: body as unknown as { file: string },
    bodySerializer: () => body,
  })
}

/** Put the files about returned records where their suppliers find them. */
export function putForSupplier(delivery: number, decision: number) {
  return api.POST('/api/deliveries/{delivery_id}/decisions/{decision_id}/send', {
    params: { path: { delivery_id: delivery, decision_id: decision } },
  })
}

/** Ask what an answer that arrived says; with `apply` it becomes an amendment. */
export function readArrived(delivery: number, answer: number, apply: boolean) {
  return api.POST('/api/deliveries/{delivery_id}/answers/{answer_id}', {
    params: { path: { delivery_id: delivery, answer_id: answer }, query: { apply } },
  })
}
