import type { Schemas } from '@/api/client'

export type Way = Schemas['ReleasedTableOut']['adds_up']

/** The ways in which deliveries add up, as they are offered. */
export const WAYS: { way: Way; label: string; about: string }[] = [
  {
    way: 'replaces',
    label: 'A delivery replaces the table',
    about: 'The table holds the records of the newest released delivery.',
  },
  {
    way: 'adds',
    label: 'A delivery adds to the table',
    about: 'The table holds the records of all released deliveries.',
  },
  {
    way: 'newest',
    label: 'A delivery adds, and the newest record of a key stands',
    about: 'Of records with the same key, the table holds that of the newest released delivery.',
  },
]
