import type { Schemas } from '@/api/client'

export type Column = Schemas['ContractColumn']
export const TYPES: Column['type'][] = [
  'text',
  'whole number',
  'decimal',
  'exact decimal',
  'date',
  'date-time',
  'true/false',
]
const isDecimal = (type: Column['type']) => type === 'decimal' || type === 'exact decimal'

/** Whether values of a type can have a size. */
export const hasSize = (type: Column['type']): boolean => type === 'text' || isDecimal(type)

/** What a size of a type is called: where it is typed. */
export const sizeHint = (type: Column['type']): string =>
  type === 'text' ? 'most characters' : isDecimal(type) ? 'digits, decimals' : ''

/** The size of a column as it is typed: "40" characters, or "8, 2" for eight digits of which two are decimals. */
export function sizeOf(column: Column): string {
  if (column.length) return String(column.length)
  return column.digits ? `${column.digits}, ${column.decimals}` : ''
}

/** A column with a size as it was typed; undefined where that is none. */
export function withSize(column: Column, typed: string): Column | undefined {
  const bare = { ...column, length: null, digits: null, decimals: null }
  const text = typed.trim()
  if (!text) return bare
  if (column.type === 'text') return /^[1-9]\d*$/.test(text) ? { ...bare, length: Number(text) } : undefined
  const parts = /^([1-9]\d*)\s*[,;./ ]\s*(\d+)$/.exec(text)
  if (!parts || !isDecimal(column.type) || Number(parts[2]) > Number(parts[1])) return undefined
  return { ...bare, digits: Number(parts[1]), decimals: Number(parts[2]) }
}

/** A column of another type; a size that does not fit it is given up. */
export const withType = (column: Column, type: Column['type']): Column => {
  const keeps = type === column.type || (isDecimal(type) && isDecimal(column.type))
  return keeps ? { ...column, type } : { ...column, type, length: null, digits: null, decimals: null }
}

/** The values allowed, one a line. */
export const valuesOf = (text: string): string[] => [
  ...new Set(text.split('\n').filter((line) => line !== '')),
]
