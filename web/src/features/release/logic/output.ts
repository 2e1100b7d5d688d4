import type { paths } from '@/api/schema'

type Query = NonNullable<paths['/api/releases/{release_id}/data']['get']['parameters']['query']>
/** How a file is to be written; no columns stand for all, in their order. */
export type OutputForm = Required<Omit<Query, 'columns'>> & { columns: string[] }

export const FORMS: Record<OutputForm['form'], string> = {
  csv: 'delimited text (CSV)',
  tsv: 'text with tabs (TSV)',
  xlsx: 'workbook (XLSX)',
  jsonl: 'JSON Lines',
  parquet: 'Parquet',
}

/** What can be chosen of delimited text. */
export const CHOICES = {
  delimiter: {
    label: 'Between columns',
    values: { comma: 'comma ,', semicolon: 'semicolon ;', tab: 'tab', bar: 'bar |' },
  },
  encoding: {
    label: 'Encoding',
    values: {
      'utf-8': 'UTF-8',
      'utf-8 with mark': 'UTF-8 with a byte order mark',
      'windows-1252': 'Windows-1252',
      'iso-8859-1': 'ISO 8859-1',
      'utf-16': 'UTF-16',
    },
  },
  decimal_mark: { label: 'Decimal mark', values: { '.': 'point 0.5', ',': 'comma 0,5' } },
  dates: {
    label: 'Dates',
    values: {
      '2024-03-17': '2024-03-17',
      '17.03.2024': '17.03.2024',
      '03/17/2024': '03/17/2024',
      '20240317': '20240317',
    },
  },
  line_ends: { label: 'Line ends', values: { lf: 'line feed', crlf: 'carriage return and line feed' } },
} as const

/** The form that is offered first. */
export const blankForm = (): OutputForm => ({
  form: 'csv',
  columns: [],
  defused: true,
  delimiter: 'comma',
  encoding: 'utf-8',
  decimal_mark: '.',
  dates: '2024-03-17',
  line_ends: 'lf',
  header: true,
  missing: '',
})

/** The names with one of them moved by some places. */
export function moved(names: string[], name: string, by: number): string[] {
  const others = names.filter((each) => each !== name)
  const at = Math.max(0, Math.min(others.length, names.indexOf(name) + by))
  return [...others.slice(0, at), name, ...others.slice(at)]
}

/** Where the file is found; what is as offered first is not said. */
export function addressOf(release: number, form: OutputForm, names: string[]): string {
  const { columns, ...rest } = form
  const asked = new URLSearchParams({ form: form.form })
  const first: Record<string, unknown> = blankForm()
  const said = form.form === 'csv' ? rest : { form: form.form, defused: form.defused }
  for (const [name, value] of Object.entries(said))
    if (name !== 'form' && value !== first[name]) asked.set(name, String(value))
  if (columns.length && columns.join('\n') !== names.join('\n'))
    for (const name of columns) asked.append('columns', name)
  return `/api/releases/${release}/data?${asked}`
}
