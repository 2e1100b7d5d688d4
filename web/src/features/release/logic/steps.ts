/** The reconciliation as steps from delivered down to ready. */
import type { Schemas } from '@/api/client'

export interface Step {
  label: string
  part: '' | 'rejected' | 'removed' | 'quarantined' | 'corrected' | 'ready'
  from: number
  to: number
  filter?: { on: 'state' | 'rule'; value: string }
}

/** Each step takes a part off; `from` and `to` are counts, the last one stands on zero. */
export function stepsOf(proposal: Schemas['ProposalOut']): Step[] {
  const b = proposal.balance
  if (!b) return []
  const steps: Step[] = [{ label: 'delivered', part: '', from: 0, to: b.delivered }]
  let left = b.delivered
  const off = (label: string, part: Step['part'], n: number, filter?: Step['filter']) => {
    if (!n) return
    steps.push({ label, part, from: left - n, to: left, filter })
    left -= n
  }
  if (b.added) {
    steps.push({ label: 'added by rules', part: '', from: left, to: left + b.added })
    left += b.added
  }
  off('rejected lines', 'rejected', b.rejected)
  for (const { rule: number, sentence, records: n } of proposal.removed_by)
    off(`rule ${number}: ${sentence}`, 'removed', n, { on: 'rule', value: String(number) })
  off('discarded by decision', 'removed', proposal.discarded)
  off('quarantined', 'quarantined', b.quarantined, { on: 'state', value: 'quarantined' })
  steps.push({
    label: 'ready, corrected',
    part: 'corrected',
    from: b.ready,
    to: b.ready + b.corrected,
    filter: { on: 'state', value: 'corrected' },
  })
  steps.push({
    label: 'ready as delivered',
    part: 'ready',
    from: 0,
    to: b.ready,
    filter: { on: 'state', value: 'ready' },
  })
  return steps
}
