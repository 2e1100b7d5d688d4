/** Import settings in words: which there are for each format, and how they are written. */
import type { Schemas } from '@/api/client'

export type Request = Schemas['SettingsRequest']
export type Settings = Schemas['FileSettings']

/** A choice of a setting: the value that is sent, and the word for it. */
export type Option = [value: string, label: string]

/** A setting: `kind` says how it is entered, `formats` which formats have it, `first` that it always stands there. */
export interface Field {
  name: keyof Request & keyof Settings
  label: string
  kind: 'choice' | 'open choice' | 'number' | 'text' | 'switch' | 'list' | 'numbers'
  formats: string[]
  first?: boolean
  options?: Option[]
}

export const DELIMITERS: Option[] = [
  [',', 'comma'],
  [';', 'semicolon'],
  ['\t', 'tab'],
  ['|', 'pipe'],
  [' ', 'space'],
  [':', 'colon'],
  ['^', 'caret'],
  ['~', 'tilde'],
]
const ENCODINGS: Option[] = [
  'utf-8',
  'cp1252',
  'iso8859-1',
  'iso8859-15',
  'cp1250',
  'cp1251',
  'cp437',
  'mac-roman',
  'shift_jis',
  'gb18030',
  'utf-16',
  'utf-16-le',
  'utf-16-be',
  'utf-32',
].map((name) => [name, name])
const TEXT = ['delimited', 'fixed width']
const ROWS = [...TEXT, 'workbook', 'html']

export const FIELDS: Field[] = [
  {
    name: 'format',
    label: 'Format',
    kind: 'choice',
    formats: [...ROWS, 'json', 'parquet'],
    first: true,
    options: [
      ['delimited', 'delimited text'],
      ['fixed width', 'fixed-width text'],
      ['workbook', 'workbook'],
      ['json', 'JSON'],
      ['html', 'table of a page'],
      ['parquet', 'Parquet'],
    ],
  },
  {
    name: 'delimiter',
    label: 'Delimiter',
    kind: 'open choice',
    formats: ['delimited'],
    first: true,
    options: DELIMITERS,
  },
  { name: 'borders', label: 'Borders', kind: 'numbers', formats: ['fixed width'], first: true },
  { name: 'cells', label: 'Range', kind: 'text', formats: ['workbook'], first: true },
  { name: 'records_at', label: 'Records at', kind: 'text', formats: ['json'], first: true },
  { name: 'explode', label: 'List to explode', kind: 'text', formats: ['json'], first: true },
  {
    name: 'encoding',
    label: 'Encoding',
    kind: 'open choice',
    formats: [...TEXT, 'json', 'html'],
    first: true,
    options: ENCODINGS,
  },
  { name: 'header_rows', label: 'Header rows', kind: 'number', formats: ROWS, first: true },
  { name: 'shown', label: 'As the cells show', kind: 'switch', formats: ['workbook'], first: true },
  { name: 'fill_merged', label: 'Fill merged cells', kind: 'switch', formats: ['workbook'], first: true },
  { name: 'skip_lines', label: 'Lines before the header', kind: 'number', formats: ROWS },
  {
    name: 'quote',
    label: 'Quotation mark',
    kind: 'choice',
    formats: ['delimited'],
    options: [
      ['"', 'double "'],
      ["'", "single '"],
      ['', 'none'],
    ],
  },
  {
    name: 'escape',
    label: 'Escape mark',
    kind: 'choice',
    formats: ['delimited'],
    options: [
      ['', 'none'],
      ['\\', 'backslash'],
    ],
  },
  {
    name: 'spaced_quotes',
    label: 'Quotes after spaces',
    kind: 'switch',
    formats: ['delimited'],
  },
  {
    name: 'line_end',
    label: 'Lines end with',
    kind: 'choice',
    formats: TEXT,
    options: [
      ['any', 'any line end'],
      ['\n', 'LF only'],
      ['\r\n', 'CR LF only'],
      ['\r', 'CR only'],
    ],
  },
  { name: 'comment', label: 'Comments start with', kind: 'text', formats: TEXT },
  {
    name: 'trailing_delimiter',
    label: 'Delimiter at the end',
    kind: 'switch',
    formats: ['delimited'],
  },
  { name: 'repeated_header', label: 'Repeated header', kind: 'switch', formats: ROWS },
  { name: 'totals_line', label: 'Totals at the end', kind: 'switch', formats: ROWS },
  {
    name: 'names',
    label: 'Column names',
    kind: 'list',
    formats: [...ROWS, 'json', 'parquet'],
  },
]

/** The settings of a format; `all` also those that are rarely changed, and always those that were chosen. */
export function fieldsOf(format: string, request: Request, all: boolean): Field[] {
  return FIELDS.filter(
    (field) =>
      field.formats.includes(format) &&
      (all || field.first || (request[field.name] !== null && request[field.name] !== undefined)),
  )
}

/** A value in words. */
export function worded(field: Field, value: unknown): string {
  if (field.kind === 'switch') return value ? 'yes' : 'no'
  if (Array.isArray(value)) return field.kind === 'list' ? `${value.length} names` : value.join(', ')
  const text = typeof value === 'string' || typeof value === 'number' ? String(value) : ''
  return field.options?.find(([option]) => option === text)?.[1] ?? (text === '' ? 'none' : text)
}

/** The value of a setting from what was typed or chosen; null goes back to detection. */
export function entered(field: Field, text: string): unknown {
  if (field.kind === 'choice') return text === 'detected' ? null : text
  if (field.kind === 'switch') return text === 'detected' ? null : text === 'yes'
  if (text === '') return null
  if (field.kind === 'number') return Math.max(0, Math.min(10_000, Math.trunc(Number(text)) || 0))
  if (field.kind === 'list') return namesFrom(text)
  if (field.kind === 'numbers') return numbersFrom(text)
  return text.replace(/\\t/g, '\t')
}

/** Names typed as a list, one a line or separated by commas; null when nothing is typed. */
export function namesFrom(typed: string): string[] | null {
  const names = typed
    .split(/[\n,]/)
    .map((name) => name.trim())
    .filter(Boolean)
  return names.length ? names : null
}

/** Rising numbers from 1, each once; null when there is none. */
export function numbersFrom(typed: string): number[] | null {
  const found = typed.split(/[^0-9]+/).map(Number)
  const rising = [...new Set(found)].filter((n) => n > 0).sort((a, b) => a - b)
  return rising.length ? rising : null
}

/** Only what is chosen: the request without its empty entries. */
export function chosen(request: Request): Request {
  return Object.fromEntries(
    Object.entries(request).filter(([, value]) => value !== null && value !== undefined),
  )
}

/** A raw line cut at its delimiters or borders, with its line end in a visible form. */
export function lineParts(
  text: string,
  delimiter: string,
  borders: number[] = [],
): { cells: string[]; end: string } {
  const end = text.endsWith('\r\n') ? '←↵' : text.endsWith('\n') ? '↵' : text.endsWith('\r') ? '←' : ''
  const body = text.replace(/(\r\n|\n|\r)$/, '')
  if (!borders.length) return { cells: delimiter ? body.split(delimiter) : [body], end }
  const edges = [0, ...borders, Infinity]
  return { cells: edges.slice(0, -1).map((from, at) => body.slice(from, edges[at + 1])), end }
}

/** The letters of a sheet's column: 0 is A. */
export function letters(number: number): string {
  return number < 0 ? '' : letters(Math.floor(number / 26) - 1) + String.fromCharCode(65 + (number % 26))
}
