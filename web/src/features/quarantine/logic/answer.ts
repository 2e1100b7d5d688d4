/** Send what came back from a supplier. */
import { api } from '@/api/client'

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
