/** The distribution of one column by the values of another: what is asked, its rows with counts and shares, what each opens. */
import { api, unwrap, type Schemas } from '@/api/client'
import type { Filter } from '@/features/records'
import { useQuery } from '@tanstack/vue-query'
import { computed, type Ref } from 'vue'
import { chosenOf, hasBars } from './crossFilter'
import { useTable } from './lookedAt'

type Column = Schemas['ColumnProfile']
type Bar = Schemas['Bar']
export const ROWS = 10
const MOST_VALUES = 12

export interface SplitCell {
  count: number
  /** Of all cells of this value of the column that splits. */
  share: number
}
/** A value of the column that splits; what is beyond those listed opens nothing. */
export interface Level {
  label: string
  filter?: Filter
}
export interface SplitRow {
  label: string
  cells: SplitCell[]
  filter: Filter | undefined
}

/** The columns that can split another one: those with a few values. */
export const splitting = (columns: Column[], name: string): Column[] =>
  columns.filter((column) => column.name !== name && column.distinct >= 2 && column.distinct <= MOST_VALUES)

const cellIs = (name: string, value: string): Filter =>
  value ? { on: 'column', name, test: 'is', value } : { on: 'column', name, test: 'missing' }

/** The ends of a column's body, where some of it lies far beyond: what lies there would leave no room to see the rest. */
export function bodyOf(column: Column): { low: string; high: string } {
  const body = column.distribution.bins.filter((bin) => !bin.outer)
  const hasMore = hasBars(column) && body.length > 0 && body.length < column.distribution.bins.length
  return hasMore ? { low: body[0]!.low, high: body.at(-1)!.high } : { low: '', high: '' }
}

/** Neighbouring bars put together until at most `most` are left; a value is never put together with another. */
export function fewer(bars: Bar[], most = ROWS): Bar[] {
  const size = Math.ceil(bars.length / most)
  const sums = (some: Bar[]) => some[0]!.levels.map((_, k) => some.reduce((n, bar) => n + bar.levels[k]!, 0))
  return Array.from({ length: Math.ceil(bars.length / size) }, (_, at) => {
    const some = bars.slice(at * size, (at + 1) * size)
    const [first, last] = [some[0]!, some.at(-1)!]
    return {
      ...first,
      high: last.high,
      every: some.reduce((n, bar) => n + bar.every, 0),
      now: some.reduce((n, bar) => n + bar.now, 0),
      levels: sums(some),
    }
  })
}

/** The rows of a filled panel; shares are of all cells of a level that the panel shows or lists. */
export function splitRows(column: Column, panel: Schemas['Shown'], levels: number): SplitRow[] {
  const isRange = panel.of === 'numbers' || panel.of === 'dates'
  const bars = isRange ? fewer(panel.bars) : panel.bars.slice(0, ROWS)
  const totals = Array.from({ length: levels }, (_, k) =>
    panel.bars.reduce((n, bar) => n + (bar.levels[k] ?? 0), 0),
  )
  return bars.map((bar) => ({
    label: isRange ? `${bar.low} to ${bar.high}` : bar.label,
    cells: totals.map((total, k) => {
      const count = bar.levels[k] ?? 0
      return { count, share: total ? count / total : 0 }
    }),
    filter: isRange
      ? chosenOf({ name: column.name, show: 'bars', range: [bar.low, bar.high] }, column)
      : cellIs(column.name, bar.label),
  }))
}

export function useSplit(id: Ref<number>, column: Ref<Column>, by: Ref<string>) {
  const table = useTable()
  const show = computed(() => (hasBars(column.value) ? ('bars' as const) : ('values' as const)))
  const answer = useQuery({
    queryKey: computed(() => ['split', id.value, column.value.name, show.value, by.value, table.value]),
    queryFn: () =>
      unwrap(
        api.POST('/api/deliveries/{delivery_id}/cross-filter', {
          params: { path: { delivery_id: id.value } },
          body: {
            panels: [
              {
                name: column.value.name,
                show: show.value,
                search: '',
                order: 'most',
                ...bodyOf(column.value),
              },
            ],
            where: [],
            split: by.value,
            table: table.value,
          },
        }),
      ),
    enabled: computed(() => Boolean(by.value)),
    staleTime: 60_000,
  })
  const panel = computed(() => answer.data.value?.panels[0])
  const levels = computed<Level[]>(() => {
    const known = answer.data.value?.levels ?? []
    const other = panel.value?.bars.some((bar) => (bar.levels[known.length] ?? 0) > 0)
    const listed = known.map((label) => ({ label: label || 'missing', filter: cellIs(by.value, label) }))
    return other ? [...listed, { label: 'other values' }] : listed
  })
  const rows = computed(() => (panel.value ? splitRows(column.value, panel.value, levels.value.length) : []))
  return { found: answer, panel, levels, rows }
}
