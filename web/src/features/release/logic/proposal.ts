import { api, unwrap, type Schemas } from '@/api/client'
import type { ComputedRef } from 'vue'

export type Proposal = Schemas['ProposedOut']

/** How the proposal of a delivery is asked for; `run` makes it ask again after another run. */
export const proposalQuery = (
  delivery: ComputedRef<number>,
  run: ComputedRef<number | null | undefined>,
) => ({
  queryKey: ['proposal', delivery, run],
  queryFn: () =>
    unwrap(
      api.GET('/api/deliveries/{delivery_id}/proposal', {
        params: { path: { delivery_id: delivery.value } },
      }),
    ),
})

/** Whether a proposal waits for an approver. */
export const waits = (proposal: Proposal | null | undefined): boolean =>
  proposal?.state === 'waiting' && !proposal.outdated

/** What a proposal waits for, or what became of it. */
export function stateOf(proposal: Proposal): string {
  if (proposal.state === 'approved') return `approved by ${proposal.decided_by}`
  if (proposal.state === 'declined') return `declined by ${proposal.decided_by}`
  return proposal.outdated
    ? 'The delivery was run again since, so it waits for nobody. Propose it again.'
    : 'It waits for an approver.'
}

/** What decisions of a kind did, after the number of records. */
export const DECIDED: Record<string, string> = {
  amend: 'amended',
  accept: 'accepted as an exception',
  discard: 'discarded',
  reopen: 'opened again',
}
