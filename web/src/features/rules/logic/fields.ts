/** From a rule kind's JSON Schema to the fields of its form. */
import type { Schemas } from '@/api/client'

export interface Field {
  name: string
  title: string
  widget: string
  /** what can be chosen, with what it is called */
  choices: { value: string; label: string }[]
  empty: string
  /** whether a formula is a condition */
  condition: boolean
  initial: unknown
  /** the field that names the column whose values it may take over */
  valuesOf: string
  /** it is only shown while another field has one of some values */
  shownFor: Record<string, string[]>
  /** seldom needed: it waits behind "More" until it holds something */
  seldom: boolean
}

interface SchemaField {
  title?: string
  widget?: string
  enum?: string[]
  const?: string
  default?: unknown
  empty?: string
  shown_for?: Record<string, string[]>
  labels?: Record<string, string>
  condition?: boolean
  values_of?: string
}

const FIRST = ['columns', 'column', 'reference', 'keys']
const LAST = [
  'unconverted', 'others', 'instead', 'consequence', 'result', 'ending', 'when', 'message', 'by', 'note',
] // prettier-ignore
const SELDOM = ['by', 'result', 'ending', 'when', 'message']
const LISTS = [
  'columns', 'new column', 'tokens', 'codes', 'formats', 'names', 'several', 'numbers', 'bands', 'sort keys',
  'measures', 'key pairs', 'their columns',
] // prettier-ignore
const MAYBE = ['bound', 'whole', 'number']

/** What shows a field beside what its kind says: a value in place, an ending of names. */
const SHOWN_FOR: Record<string, Record<string, string[]>> = {
  instead: { unconverted: ['value'], others: ['value'] },
  ending: { result: ['beside'] },
}

/** The fields to show, columns first, consequence and note last. */
export function fieldsOf(kind: Schemas['KindOut']): Field[] {
  const all = Object.entries(kind.fields as Record<string, SchemaField>)
    .filter(([name, field]) => name !== 'kind' && field.widget !== 'none')
    .map(([name, field]) => ({
      name,
      title: field.title ?? name,
      widget: field.widget ?? 'text',
      choices: (field.enum ?? (field.const === undefined ? [] : [field.const])).map((value) => ({
        value,
        label: field.labels?.[value] ?? value,
      })),
      condition: field.condition ?? false,
      empty: field.empty ?? '',
      initial: field.default,
      valuesOf: field.values_of ?? '',
      shownFor: field.shown_for ?? SHOWN_FOR[name] ?? {},
      seldom: SELDOM.includes(name),
    }))
  const weight = (name: string) => (FIRST.includes(name) ? -1 : LAST.indexOf(name) + 1)
  return all.sort((a, b) => weight(a.name) - weight(b.name))
}

/** Whether a field is shown for a rule: another field may have to say so. */
export function isShown(field: Field, rule: Record<string, unknown>): boolean {
  const conditions = Object.entries(field.shownFor)
  return !conditions.length || conditions.some(([name, values]) => values.includes(String(rule[name])))
}

/** Whether a field holds something other than what a new rule has. */
export function isSet(field: Field, rule: Record<string, unknown>): boolean {
  const value = rule[field.name]
  return Boolean(value) && JSON.stringify(value) !== JSON.stringify(field.initial)
}

/** A new rule of a kind, on a column if one is given. */
export function blankRule(kind: Schemas['KindOut'], id: string, column?: string): Record<string, unknown> {
  const rule: Record<string, unknown> = { kind: kind.kind, id, enabled: true, note: '' }
  for (const field of fieldsOf(kind)) {
    const nothing = LISTS.includes(field.widget)
      ? []
      : MAYBE.includes(field.widget) || field.widget === 'columns by'
        ? null
        : field.widget === 'switch'
          ? false
          : ''
    rule[field.name] = field.initial ?? nothing
  }
  if (column && 'columns' in rule) rule.columns = [column]
  const single = fieldsOf(kind).find((field) => field.widget === 'column')
  if (column && single && !('columns' in rule)) rule[single.name] = column
  return rule
}

const FORMATS = [
  '%Y-%m-%d', '%d.%m.%Y', '%d/%m/%Y', '%m/%d/%Y', '%Y/%m/%d', '%Y%m%d', '%d-%m-%Y', '%d %b %Y', '%d-%b-%Y',
  '%Y-%m-%d %H:%M', '%Y-%m-%d %H:%M:%S',
] // prettier-ignore

/** What a list offers: columns and formats as they are, whatever they are called; only choices of ours have words. */
export function optionsOf(
  field: Pick<Field, 'widget' | 'choices'>,
  columns: string[],
  theirs: string[] = [],
): { value: string; label: string }[] {
  if (field.widget === 'several') return field.choices
  const names = ['columns', 'new column', 'names'].includes(field.widget)
    ? columns
    : field.widget === 'formats'
      ? FORMATS
      : field.widget === 'their columns'
        ? theirs
        : []
  return names.map((name) => ({ value: name, label: name }))
}

/** Lines of "code = meaning" or "code,meaning" or tab-separated, as a code list. */
export function codesFrom(typed: string): { code: string; meaning: string }[] {
  return typed
    .split('\n')
    .map((line) => /^(.*?)\s*(?:\t|=|,|;)\s*(.*)$/.exec(line.trim()))
    .filter((match) => match !== null)
    .map((match) => ({ code: match[1] ?? '', meaning: match[2] ?? '' }))
}
export const codesAsText = (codes: { code: string; meaning: string }[]): string =>
  codes.map(({ code, meaning }) => `${code} = ${meaning}`).join('\n')

/** A number as typed, with a comma or a point; what is none stays a text, so that the answer can say so. */
export function numberOf(typed: string): number | string | null {
  const text = typed.trim()
  const number = Number(text.replace(',', '.'))
  return text === '' ? null : Number.isFinite(number) ? number : text
}
