import { api, unwrap } from '@/api/client'
import { useQuery } from '@tanstack/vue-query'
import { computed, type Ref } from 'vue'

export const proposals = {
  queryKey: ['proposals'],
  queryFn: () => unwrap(api.GET('/api/proposals')),
}

/** How many proposals wait for an approver, asked for anew each minute where somebody may approve. */
export function useProposalsWaiting(mayApprove: Ref<boolean>) {
  const { data } = useQuery({ ...proposals, enabled: mayApprove, refetchInterval: 60_000 })
  return computed(() => data.value?.length ?? 0)
}
