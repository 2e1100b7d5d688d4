/** Panels that narrow each other: their state in the address, what is asked, what a choice means as a filter. */
import { useAddress } from '@/app/address'
import { api, unwrap, type Schemas } from '@/api/client'
import { asked, type Filter } from '@/features/records'
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed, type Ref } from 'vue'
import { useTable } from './lookedAt'

export type Show = 'bars' | 'values' | 'shapes'
export interface Panel {
  name: string
  show?: Show
  search?: string
  order?: 'most' | 'value'
  /** A range of bars, as low and high are written, or the chosen values or shapes. */
  range?: [string, string]
  picked?: string[]
}
type Column = Schemas['ColumnProfile']

export const hasBars = (column: Column | undefined): boolean => {
  const { type } = column ?? {}
  if (type === 'date' || type === 'date-time') return Boolean(column?.dates)
  return ['decimal', 'exact decimal', 'whole number'].includes(type ?? '') && Boolean(column?.numbers)
}
export const showOf = (panel: Panel, column: Column | undefined): Show =>
  panel.show === 'bars' && !hasBars(column) ? 'values' : (panel.show ?? (hasBars(column) ? 'bars' : 'values'))

/** What is chosen in a panel as a filter of records. */
export function chosenOf(panel: Panel, column: Column | undefined): Filter | undefined {
  const on = { on: 'column' as const, name: panel.name }
  const show = showOf(panel, column)
  if (show === 'bars') {
    if (!panel.range) return undefined
    const [low, high] = panel.range
    if (column?.dates && (column.type === 'date' || column.type === 'date-time')) {
      const formats = column.dates.formats.map((form) => form.value).join('|')
      return { ...on, test: 'dated', value: formats, values: [low, `${high} 23:59:59.999999`] }
    }
    return { ...on, test: 'within', values: [low, high] }
  }
  if (!panel.picked?.length) return undefined
  if (show === 'values') return { ...on, test: 'one of', values: panel.picked }
  const each = panel.picked.map((item): Filter =>
    item ? { ...on, test: 'shape', value: item } : { ...on, test: 'missing' },
  )
  return each.length === 1 ? each[0] : { on: 'any of', of: each }
}

/** Panels from an address; what cannot be read is left out. */
export function panelsOf(said: unknown, known: (name: string) => boolean): Panel[] {
  try {
    const panels: unknown = JSON.parse(String(said ?? '[]'))
    if (!Array.isArray(panels)) return []
    return (panels as Panel[])
      .filter((item) => item && typeof item.name === 'string' && known(item.name))
      .slice(0, 12)
  } catch {
    return []
  }
}

export function useCrossFilter(id: Ref<number>, profile: Ref<Schemas['Profile']>) {
  const { query, ask } = useAddress()
  const table = useTable()
  const column = (name: string) => profile.value.columns.find((column) => column.name === name)
  const panels = computed(() => panelsOf(query.value.look, (name) => Boolean(column(name))))
  const split = computed(() => {
    const name = String(query.value.split ?? '')
    return column(name) ? name : ''
  })
  function keep(next: Panel[]): void {
    ask({ look: next.length ? JSON.stringify(next) : undefined })
  }
  function change(at: number, entries: Partial<Panel>): void {
    keep(panels.value.map((panel, i) => (i === at ? { ...panel, ...entries } : panel)))
  }
  const chosen = (panel: Panel) => {
    const filter = chosenOf(panel, column(panel.name))
    return filter ? asked(filter) : null
  }
  const body = computed(() => ({
    panels: panels.value.map((panel) => ({
      name: panel.name,
      show: showOf(panel, column(panel.name)),
      search: panel.search ?? '',
      order: panel.order ?? ('most' as const),
      chosen: chosen(panel),
      low: '',
      high: '',
    })),
    where: [],
    split: split.value,
    table: table.value,
  }))
  const look = useQuery({
    queryKey: ['look', id, body],
    queryFn: ({ signal }) =>
      unwrap(
        api.POST('/api/deliveries/{delivery_id}/cross-filter', {
          params: { path: { delivery_id: id.value } },
          body: body.value,
          signal,
        }),
      ),
    enabled: () => panels.value.length > 0,
    placeholderData: keepPreviousData,
    staleTime: 60_000,
  })
  const filters = computed(() => panels.value.flatMap((panel) => chosenOf(panel, column(panel.name)) ?? []))
  return { panels, split, keep, change, column, look, filters }
}
