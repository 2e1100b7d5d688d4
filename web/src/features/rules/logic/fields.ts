/** From a rule kind's JSON Schema to the fields of its form. */
import type { Schemas } from '@/api/client'

export interface Field {
  name: string
  title: string
  widget: string
  choices: string[]
  empty: string
  initial: unknown
}

interface SchemaField {
  title?: string
  widget?: string
  enum?: string[]
  const?: string
  default?: unknown
  empty?: string
}

const FIRST = ['columns']
const LAST = ['consequence', 'unconverted', 'others', 'when', 'note']

/** The fields to show, columns first, consequence and note last. */
export function fieldsOf(kind: Schemas['KindOut']): Field[] {
  const all = Object.entries(kind.fields as Record<string, SchemaField>)
    .filter(([name, field]) => name !== 'kind' && field.widget !== 'none')
    .map(([name, field]) => ({
      name,
      title: field.title ?? name,
      widget: field.widget ?? 'text',
      choices: field.enum ?? (field.const === undefined ? [] : [field.const]),
      empty: field.empty ?? '',
      initial: field.default,
    }))
  const weight = (name: string) => (FIRST.includes(name) ? -1 : LAST.indexOf(name) + 1)
  return all.sort((a, b) => weight(a.name) - weight(b.name))
}

/** A new rule of a kind, on a column if one is given. */
export function blankRule(kind: Schemas['KindOut'], id: string, column?: string): Record<string, unknown> {
  const rule: Record<string, unknown> = { kind: kind.kind, id, enabled: true, note: '' }
  for (const field of fieldsOf(kind)) {
    const list = ['columns', 'new column', 'tokens', 'codes', 'formats'].includes(field.widget)
    rule[field.name] = field.initial ?? (list ? [] : field.widget === 'bound' ? null : '')
  }
  if (column && 'columns' in rule) rule.columns = [column]
  return rule
}

const WORDS: Record<string, string> = {
  '': 'none',
  ' ': 'space',
  '.': 'point  .',
  ',': 'comma  ,',
  "'": "apostrophe  '",
  missing: 'becomes missing',
  quarantine: 'the record is quarantined',
  note: 'it is only noted',
  stop: 'the release is stopped',
  keep: 'stays as it is',
  remove: 'are removed',
  'keep only': 'are kept, all others removed',
}
export const choiceWords = (choice: string): string => WORDS[choice] ?? choice

/** Lines of "code = meaning" or "code,meaning" or tab-separated, as a code list. */
export function codesFrom(typed: string): { code: string; meaning: string }[] {
  return typed
    .split('\n')
    .map((line) => /^(.*?)\s*(?:\t|=|,|;)\s*(.*)$/.exec(line.trim()))
    .filter((found) => found !== null)
    .map((found) => ({ code: found[1] ?? '', meaning: found[2] ?? '' }))
}
export const codesAsText = (codes: { code: string; meaning: string }[]): string =>
  codes.map(({ code, meaning }) => `${code} = ${meaning}`).join('\n')
