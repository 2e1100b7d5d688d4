/** What is told of a column of two tables beside each other. */
import type { Schemas } from '@/api/client'
import { exactly, measure } from '@/shared'

type Column = Schemas['ColumnProfile']
type Change = Schemas['ColumnChange']
export type Sides = [string, string]

/** The usual reading of the index (Siddiqi 2006). */
export function word(change: Change, sides: Sides): string {
  if (!change.first) return `only ${sides[1]}`
  if (!change.second) return `only ${sides[0]}`
  const index = change.stability ?? 0
  return index === 0 ? 'alike' : index < 0.1 ? 'steady' : index < 0.25 ? 'shifted' : 'changed'
}

/** Whether a change asks for a look. */
export const isChanged = (change: Change): boolean => (change.stability ?? 1) >= 0.1

const FACTS: [string, (of: Column) => string | number | null | undefined][] = [
  ['type', (of) => of.type],
  ['do not fit', (of) => of.misfits],
  ['minimum', (of) => of.numbers && exactly(of.numbers.minimum)],
  ['median', (of) => of.numbers?.median],
  ['mean', (of) => of.numbers?.mean],
  ['maximum', (of) => of.numbers && exactly(of.numbers.maximum)],
  ['std. deviation', (of) => of.numbers?.standard_deviation],
  ['first', (of) => of.dates?.first],
  ['last', (of) => of.dates?.last],
  ['longest text', (of) => of.text?.longest],
]

/** The measures on either side, those that neither has left out. */
export function factsOf({ first, second }: Pick<Change, 'first' | 'second'>): [string, string, string][] {
  const shown = (value: string | number | null | undefined) =>
    typeof value === 'number' ? measure(value) : (value ?? '')
  return FACTS.map(([label, of]): [string, string, string] => [
    label,
    shown(first && of(first)),
    shown(second && of(second)),
  ]).filter(([, a, b]) => a || b)
}

/** The share of each class on either side, and the largest of all: the bars are drawn against it. */
export function sharesOf(classes: Change['classes'], records: [number, number]) {
  const shares = classes.map(({ first, second }): [number, number] => [
    first / (records[0] || 1),
    second / (records[1] || 1),
  ])
  return { shares, most: Math.max(0.001, ...shares.flat()) }
}
