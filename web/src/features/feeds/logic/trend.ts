/** How the share in quarantine went over the last deliveries that were run. */
import type { Schemas } from '@/api/client'

type Summary = Pick<Schemas['DeliverySummary'], 'has_run' | 'balance'>

/** "1.4 %", with "was 1.8 %" when there is one before; "–" when none was run. */
export function heldTrend(deliveries: Summary[], share: (part: number, all: number) => string): string {
  const run = deliveries.filter((delivery) => delivery.has_run).slice(-2)
  const shares = run.map(({ balance }) => share(balance.quarantined, balance.delivered))
  const last = shares.at(-1)
  if (!last) return '–'
  return shares.length > 1 ? `${last}, was ${shares[0]}` : last
}
