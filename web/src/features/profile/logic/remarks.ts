/** What stands out in a column, each with the filter that opens the records behind it. */
import type { Schemas } from '@/api/client'
import type { Filter } from '@/features/records'
import { count } from '@/shared'

type Column = Schemas['ColumnProfile']

export interface Remark {
  text: string
  strong: boolean
  filters: Filter[]
}

/** The kinds of text that fit a data type. */
const FITTING: Record<string, string> = {
  decimal: 'whole number,decimal,decimal comma',
  'date-time': 'date,date-time',
}

export function misfitFilter(column: Column): Filter {
  return {
    on: 'column',
    name: column.name,
    test: 'does not read as',
    value: FITTING[column.type] ?? column.type,
  }
}

/** The remarks on a column, gravest first. */
export function remarksOn(column: Column, records: number): Remark[] {
  const found: Remark[] = []
  const on = (test: string, value = ''): Filter[] => [{ on: 'column', name: column.name, test, value }]
  if (column.misfits) {
    found.push({
      text: `${count(column.misfits)} not ${article(column.type)}`,
      strong: true,
      filters: [misfitFilter(column)],
    })
  }
  const tokens = column.kinds['missing token'] ?? 0
  if (tokens)
    found.push({
      text: `${count(tokens)} like “n/a” or “-”`,
      strong: true,
      filters: on('reads as', 'missing token'),
    })
  if (column.kinds['decimal comma']) {
    found.push({ text: 'decimal commas', strong: false, filters: on('reads as', 'decimal comma') })
  }
  if (column.text?.outer_spaces) {
    found.push({
      text: `${count(column.text.outer_spaces)} with outer spaces`,
      strong: false,
      filters: on('outer spaces'),
    })
  }
  if (column.distinct === 1 && column.missing < records)
    found.push({ text: 'always the same', strong: false, filters: on('filled') })
  if (column.missing === records && records)
    found.push({ text: 'always missing', strong: true, filters: on('missing') })
  if (column.dates?.future)
    found.push({ text: `${count(column.dates.future)} in the future`, strong: false, filters: [] })
  return found
}

function article(type: string): string {
  return type === 'true/false' ? 'true/false' : `${type.startsWith('e') ? 'an' : 'a'} ${type}`
}
