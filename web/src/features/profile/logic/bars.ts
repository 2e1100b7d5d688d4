/** The bars of a column's distribution: what each opens, and the marks of their axes. */
import type { Schemas } from '@/api/client'
import type { Filter } from '@/features/records'

type Bin = Schemas['Bin']
type Column = Schemas['ColumnProfile']

/** The records of a bar; of numbers without cells that would read otherwise than the column does (1,707 is no 1.7). */
export function doorOf(column: Column, bar: Bin, of: string, isLast: boolean): Filter[] {
  const on = { on: 'column', name: column.name }
  if (of === 'dates') {
    const forms = column.dates?.formats.map((form) => form.value).join('|') ?? ''
    const last = bar.high.length > 10 ? bar.high : `${bar.high} 23:59:59.999999`
    return [{ ...on, test: 'dated', value: forms, values: [bar.low, last] }]
  }
  const door: Filter = {
    ...on,
    test: bar.outer || isLast ? 'between' : 'within',
    values: [bar.low, bar.high],
  }
  const isMixed = column.numbers?.decimal_mark === '.' && (column.kinds['decimal comma'] ?? 0) > 0
  return isMixed
    ? [door, { on: 'none of', of: [{ ...on, test: 'reads as', value: 'decimal comma' }] }]
    : [door]
}

/** The records between two ends, both included: numbers, or days and moments. */
export function rangeDoor(column: Column, of: string, low: string, high: string): Filter[] {
  return doorOf(column, { low: low.trim(), high: high.trim(), count: 0, outer: true }, of, true)
}

const DAY = /^\d{4}-\d{2}-\d{2}( \d{2}:\d{2}(:\d{2})?)?$/

/** What is wrong with the ends of a range, in a sentence; empty when it can be opened. */
export function rangeProblem(of: string, low: string, high: string): string {
  const ends = [low.trim(), high.trim()]
  if (ends.some((end) => !end)) return 'A range needs both ends.'
  if (of === 'dates') {
    const wrong = ends.find((end) => !DAY.test(end) || Number.isNaN(Date.parse(end.replace(' ', 'T'))))
    if (wrong) return `“${wrong}” is not a day such as 2024-03-17.`
    return ends[0]! > ends[1]! ? 'The range ends before it begins.' : ''
  }
  const wrong = ends.find((end) => !Number.isFinite(Number(end)))
  if (wrong) return `“${wrong}” is not a number such as 7.4.`
  return Number(ends[0]) > Number(ends[1]) ? 'The range ends before it begins.' : ''
}

/** A number as an axis writes it: with no more digits than tell its bars apart. */
export function short(text: string): string {
  const number = Number(text)
  return text.trim() === '' || Number.isNaN(number) ? text : String(Number(number.toPrecision(4)))
}

/** The greatest round number (1, 2 or 5 times a power of ten) of which at most four fit under `most`. */
export function tickOf(most: number): number {
  if (most <= 1) return 1
  const power = 10 ** Math.floor(Math.log10(most / 2))
  return ([1, 2, 5, 10].find((step) => most / (step * power) <= 4) ?? 10) * power
}

const quoted = (name: string) => `"${name.replaceAll('"', '""')}"`

/** The moment of a cell in a formula, in the first form of its column that fits. */
export function momentOf(column: Column): string {
  const reads = (column.dates?.formats ?? []).map(
    ({ value }) => `to_moment(${quoted(column.name)}, '${value}')`,
  )
  return reads.length === 1 ? (reads[0] ?? '') : `coalesce(${reads.join(', ')})`
}

/** The records of one part of a rhythm: of a year, a month, a day of the week or an hour. */
export const partDoor = (
  column: Column,
  part: 'year' | 'month' | 'weekday' | 'hour',
  value: string,
): Filter[] => [
  { on: 'column', name: column.name, test: 'reads as', value: 'date,date-time' },
  { on: 'formula', value: `${part}(${momentOf(column)}) = ${Number(value)}` },
]

/** The dates after the delivery was received. */
export function futureDoor(column: Column): Filter[] {
  const forms = column.dates?.formats.map((form) => form.value).join('|') ?? ''
  return [
    {
      on: 'column',
      name: column.name,
      test: 'dated',
      value: forms,
      values: [column.dates?.now ?? '', '9999-12-31 23:59:59.999999'],
    },
  ]
}

/** The dates of one day or moment. */
export function momentDoor(column: Column, moment: string): Filter[] {
  const forms = column.dates?.formats.map((form) => form.value).join('|') ?? ''
  const last = moment.length > 10 ? moment : `${moment} 23:59:59.999999`
  return [{ on: 'column', name: column.name, test: 'dated', value: forms, values: [moment, last] }]
}
