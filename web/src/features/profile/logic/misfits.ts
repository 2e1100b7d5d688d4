/** The cells of a column that do not fit its type. */
import type { Schemas } from '@/api/client'
import type { Filter } from '@/features/records'

type Column = Schemas['ColumnProfile']

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
