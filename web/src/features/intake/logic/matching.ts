/** Which delivered column of each source fills which column of the table, and the changes a person makes to it. */
import type { Schemas } from '@/api/client'
import type { Request } from './settings'

type SourceColumns = Schemas['SourceColumns']

/** What a person changed about a source: delivered name to column (null: left out), facts, a column for its name. */
export interface Edit {
  columns: Record<string, string | null>
  facts: Record<string, string>
  source_column?: string
}

/** The delivered column of a source that fills a column of the table, with the changes; empty when none does. */
export function fillerOf(source: SourceColumns, column: string, edit?: Edit): string {
  const match = source.names.find((name, at) =>
    edit && name in edit.columns ? edit.columns[name] === column : source.columns[at] === column,
  )
  return match ?? ''
}

/** The edit after a person says that a delivered column (empty: none) fills a column of the table. */
export function withFiller(source: SourceColumns, edit: Edit, column: string, name: string): Edit {
  const columns = { ...edit.columns }
  const before = fillerOf(source, column, edit)
  if (before && before !== name) columns[before] = null
  if (name) columns[name] = column
  return { ...edit, columns }
}

/** The edit after a person gives a column of the table another name. */
export function withName(source: SourceColumns, edit: Edit, column: string, now: string): Edit {
  const filler = fillerOf(source, column, edit)
  const facts = { ...edit.facts }
  const fact = facts[column] ?? source.facts[column]
  if (fact !== undefined) Object.assign(facts, { [column]: '', [now]: fact })
  const columns = filler ? { ...edit.columns, [filler]: now } : edit.columns
  return { ...edit, columns, facts, ...(source.source_column === column ? { source_column: now } : {}) }
}

/** Delivered columns that fill nothing, with the changes. */
export function leftOut(source: SourceColumns, edit?: Edit): string[] {
  return source.names.filter((name, at) =>
    edit && name in edit.columns ? edit.columns[name] === null : source.columns[at] === null,
  )
}

/** The import settings of a source with an edit put in. */
export function withEdit(request: Request, edit: Edit): Request {
  const facts = { ...request.facts, ...edit.facts }
  return {
    ...request,
    ...(edit.source_column === undefined ? {} : { source_column: edit.source_column || null }),
    columns: { ...request.columns, ...edit.columns },
    facts: Object.fromEntries(Object.entries(facts).filter(([, value]) => value !== '')),
  }
}

/** How each kind of design change is said. */
export function changeWords(change: Schemas['ChangeOut']): string {
  const where = change.source_name ? ` in ${change.source_name}` : ''
  if (change.kind === 'new') return `${change.name} is new${where}`
  if (change.kind === 'missing') return `${change.name} is missing${where}`
  if (change.kind === 'renamed') return `${change.name}${where} seems to be ${change.column}`
  if (change.kind === 'moved') return `The columns${where} come in another order`
  return `${change.name} has another type than agreed`
}
