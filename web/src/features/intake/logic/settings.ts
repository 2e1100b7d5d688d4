/** Import settings in words: which there are for each format, and how they are written. */
import type { Schemas } from '@/api/client'

export type Request = Schemas['SettingsRequest']
export type Settings = Schemas['FileSettings']

/** A choice of a setting: the value that is sent, and the word for it. */
export type Option = [value: string, label: string]

/** A setting: `kind` says how it is entered. Which format has which, and which always stand there, the server says. */
export interface Field {
  name: keyof Request & keyof Settings
  label: string
  kind: 'choice' | 'open choice' | 'number' | 'text' | 'switch' | 'list' | 'numbers'
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
export const FIELDS: Field[] = [
  {
    name: 'delimiter',
    label: 'Delimiter',
    kind: 'open choice',
    options: DELIMITERS,
  },
  { name: 'borders', label: 'Borders', kind: 'numbers' },
  { name: 'cells', label: 'Range', kind: 'text' },
  { name: 'records_at', label: 'Records at', kind: 'text' },
  { name: 'explode', label: 'List to explode', kind: 'text' },
  {
    name: 'encoding',
    label: 'Encoding',
    kind: 'open choice',
    options: ENCODINGS,
  },
  { name: 'header_rows', label: 'Header rows', kind: 'number' },
  { name: 'shown', label: 'As the cells show', kind: 'switch' },
  { name: 'fill_merged', label: 'Fill merged cells', kind: 'switch' },
  { name: 'skip_lines', label: 'Lines before the header', kind: 'number' },
  {
    name: 'quote',
    label: 'Quotation mark',
    kind: 'choice',
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
    options: [
      ['', 'none'],
      ['\\', 'backslash'],
    ],
  },
  {
    name: 'spaced_quotes',
    label: 'Quotes after spaces',
    kind: 'switch',
  },
  {
    name: 'line_end',
    label: 'Lines end with',
    kind: 'choice',
    options: [
      ['any', 'any line end'],
      ['\n', 'LF only'],
      ['\r\n', 'CR LF only'],
      ['\r', 'CR only'],
    ],
  },
  { name: 'comment', label: 'Comments start with', kind: 'text' },
  {
    name: 'trailing_delimiter',
    label: 'Delimiter at the end',
    kind: 'switch',
  },
  { name: 'repeated_header', label: 'Repeated header', kind: 'switch' },
  { name: 'totals_line', label: 'Totals at the end', kind: 'switch' },
  {
    name: 'names',
    label: 'Column names',
    kind: 'list',
  },
]

/** The formats as the server names them; a format without a setting of that name has it not. */
export type Format = Schemas['FormatOut']
const FIELD = new Map(FIELDS.map((field) => [field.name as string, field]))

/** The choice of the format itself. */
export function formatField(formats: readonly Format[]): Field {
  return {
    name: 'format',
    label: 'Format',
    kind: 'choice',
    options: formats.map(({ format, label }) => [format, label]),
  }
}

/** The settings of a format; `all` also those that are rarely changed, and always those that were chosen. A setting that
 * this program has no words for is entered as text. */
export function fieldsOf(
  formats: readonly Format[],
  format: string,
  request: Request,
  all: boolean,
): Field[] {
  const own = formats.find((eachFormat) => eachFormat.format === format)
  const field = (name: string): Field =>
    FIELD.get(name) ?? { name: name as Field['name'], label: name.replaceAll('_', ' '), kind: 'text' }
  const isChosen = ({ name }: Field) => request[name] !== null && request[name] !== undefined
  return [
    formatField(formats),
    ...(own?.first ?? []).map(field),
    ...(own?.more ?? []).map(field).filter((item) => all || isChosen(item)),
  ]
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
  const numbers = typed.split(/[^0-9]+/).map(Number)
  const rising = [...new Set(numbers)].filter((n) => n > 0).sort((a, b) => a - b)
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
