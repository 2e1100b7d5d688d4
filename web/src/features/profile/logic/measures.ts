/** What is measured of a column, as lines of its sheet: how many of what, and its statistics as numbers, dates and text. */
import type { Schemas } from '@/api/client'
import type { Filter } from '@/features/records'
import { count, exactly, measure } from '@/shared'
import { futureDoor, momentDoor } from './bars'
import { misfitFilter } from './misfits'

type Column = Schemas['ColumnProfile']
/** A measure, and where its records can be opened the filter of these. */
export interface Measure {
  label: string
  value: string
  filters?: Filter[]
}

/** How many cells are missing or hold what stands for missing. */
export const missingIn = (column: Pick<Column, 'missing' | 'kinds'>): number =>
  column.missing + (column.kinds['missing token'] ?? 0)

const KINDS = [
  'missing token', 'whole number', 'decimal', 'decimal comma', 'date', 'date-time', 'true/false', 'text',
] // prettier-ignore

export const onColumn = (column: Column, test: string, value = ''): Filter[] => [
  { on: 'column', name: column.name, test, value },
]

function told(label: string, value: string | number | null | undefined, filters?: Filter[]): Measure {
  return {
    label,
    value: typeof value === 'string' ? value : measure(value),
    ...(filters ? { filters } : {}),
  }
}

/** How many records there are, are missing, read as what, do not fit, and differ. Masked: only how many records can be opened. */
export function countsOf(column: Column, records: number, isMasked: boolean): Measure[] {
  const doors: [string, number, Filter[]][] = [
    ['records', records, []],
    ['missing', column.missing, onColumn(column, 'missing')],
  ]
  for (const kind of KINDS) {
    const cells = column.kinds[kind]
    const label = kind === 'missing token' ? 'like “n/a”' : `as ${kind}`
    if (cells) doors.push([label, cells, onColumn(column, 'reads as', kind)])
  }
  if (column.misfits) doors.push(['do not fit', column.misfits, [misfitFilter(column)]])
  const counts = doors.map(([label, cells, filters]) => ({
    label,
    value: count(cells),
    ...(isMasked && filters.length ? {} : { filters }),
  }))
  return [...counts, { label: 'distinct', value: count(column.distinct) }]
}

export function asNumbers(column: Column): Measure[] {
  const n = column.numbers
  if (!n) return []
  const zero = onColumn(column, 'between').map((item) => ({ ...item, values: ['0', '0'] }))
  return [
    told('minimum', exactly(n.minimum)), told('maximum', exactly(n.maximum)), told('mean', n.mean), told('median', n.median),
    told('std. deviation', n.standard_deviation), told('variance', n.variance),
    told('skewness', n.skewness), told('kurtosis', n.kurtosis),
    told('1 % below', n.quantiles['0.01']), told('99 % below', n.quantiles['0.99']),
    told('5 % below', n.quantiles['0.05']), told('95 % below', n.quantiles['0.95']),
    told('quarter below', n.quantiles['0.25']), told('quarter above', n.quantiles['0.75']),
    told('sum', exactly(n.total)), told('zero', n.zero, zero),
    told('positive', n.positive, onColumn(column, 'above', '0')), told('negative', n.negative, onColumn(column, 'below', '0')),
    ...(n.positive && n.negative
      ? [told('positive sum', exactly(n.positive_total)), told('negative sum', exactly(n.negative_total))]
      : []),
  ] // prettier-ignore
}

export function asDates(column: Column): Measure[] {
  const d = column.dates
  if (!d) return []
  return [
    told('first', d.first, momentDoor(column, d.first)),
    told('last', d.last, momentDoor(column, d.last)),
    ...(d.future ? [told('in the future', d.future, futureDoor(column))] : []),
  ]
}

export function asText(column: Column): Measure[] {
  const t = column.text
  if (!t) return []
  return [
    told('shortest', t.shortest), told('longest', t.longest),
    told('mean length', t.mean_length), told('mean words', t.mean_words),
    told('mean letters', t.mean_letters), told('outer spaces', t.outer_spaces, onColumn(column, 'outer spaces')),
    told('invisible marks', t.invisible, onColumn(column, 'invisible marks')),
  ] // prettier-ignore
}

const WEEKDAYS = ['Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat', 'Sun']
const MONTHS = ['Jan', 'Feb', 'Mar', 'Apr', 'May', 'Jun', 'Jul', 'Aug', 'Sep', 'Oct', 'Nov', 'Dec']
export type Part = 'year' | 'month' | 'weekday' | 'hour'

/** How the dates lie over years, months, days of the week and hours, where they lie in more than one of these. */
export function rhythmsOf(column: Column): [Part, Schemas['ValueCount'][]][] {
  const d = column.dates
  if (!d) return []
  const every: [Part, Schemas['ValueCount'][]][] = [
    ['year', d.by_year],
    ['month', d.by_month],
    ['weekday', d.by_weekday],
    ['hour', d.by_hour],
  ]
  return every.filter(([, parts]) => parts.length > 1)
}

/** A part of a rhythm by name. */
export function partName(part: Part, value: string): string {
  const at = Number(value) - 1
  if (part === 'weekday') return WEEKDAYS[at] ?? ''
  if (part === 'month') return MONTHS[at] ?? ''
  return value
}
