/** The five parts of the balance, in their order. */
export const PARTS = [
  { name: 'ready', label: 'ready as delivered', state: 'ready' },
  { name: 'corrected', label: 'ready, corrected', state: 'corrected' },
  { name: 'quarantined', label: 'quarantined', state: 'quarantined' },
  { name: 'removed', label: 'removed', state: 'removed' },
  { name: 'rejected', label: 'rejected lines', state: '' },
] as const
