/** The five parts of the balance, in their order. */
export const PARTS = [
  { name: 'ready', label: 'ready as delivered', state: 'ready' },
  { name: 'corrected', label: 'ready, corrected', state: 'corrected' },
  { name: 'quarantined', label: 'quarantined', state: 'quarantined' },
  { name: 'removed', label: 'removed', state: 'removed' },
  { name: 'rejected', label: 'rejected lines', state: '' },
] as const

export type PartOfBalance = (typeof PARTS)[number]

/** What a part is called for a number of it: one rejected line, two rejected lines. */
export const labelOf = (part: PartOfBalance, n: number): string =>
  n === 1 && part.name === 'rejected' ? 'rejected line' : part.label
