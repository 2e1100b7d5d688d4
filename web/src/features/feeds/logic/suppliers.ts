/** What suppliers brought, summed over their feeds. */
import type { Schemas } from '@/api/client'
import { finder } from '@/shared'

export type Supplier = Schemas['Supplier']
type Brought = Schemas['SupplierFeed']

/** The periods that can be looked at: days and their words. */
export const PERIODS: Record<number, string> = {
  31: 'the last month',
  92: 'the last three months',
  365: 'the last year',
  731: 'the last two years',
}

/** The days of a period that an address names, else those of a year. */
export const daysOf = (text: unknown): number =>
  typeof text === 'string' && Object.hasOwn(PERIODS, text) ? Number(text) : 365

/** What can go wrong with deliveries of a feed, told where it did. */
export const TROUBLES = [
  ['late', 'came late'],
  ['missing', 'are missing'],
  ['again', 'came again for the same date'],
  ['failed', 'could not be read'],
  ['incomplete', 'lacked a source'],
  ['repeated', 'had files that came before'],
  ['changes', 'changes of columns'],
  ['returned', 'records returned'],
  ['answered', 'records answered'],
  ['questions', 'questions about what was new'],
] as const

const SUMMED = ['deliveries', 'late', 'missing', 'returned', 'answered'] as const
const OF_BALANCE = ['delivered', 'rejected', 'quarantined'] as const

/** The numbers of several feeds together. */
export function summed(feeds: readonly Brought[]) {
  const total = <T extends string>(parts: readonly T[], of: (feed: Brought) => Record<T, number>) =>
    Object.fromEntries(
      parts.map((part) => [part, feeds.reduce((sum, feed) => sum + of(feed)[part], 0)]),
    ) as Record<T, number>
  return { ...total(SUMMED, (feed) => feed), ...total(OF_BALANCE, (feed) => feed.balance) }
}

/** The suppliers that fit a search, by their name or that of a feed. */
export function fitting(suppliers: readonly Supplier[], search: string): Supplier[] {
  const fits = finder(search)
  return suppliers.filter((each) => fits(each.name, ...each.feeds.map((feed) => feed.name)))
}
