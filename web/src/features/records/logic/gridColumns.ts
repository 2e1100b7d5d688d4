/** Where the columns of a grid stand: widths by type and name, and those that are in view. */
import type { Schemas } from '@/api/client'
import { computed, type Ref } from 'vue'

const BASE: Record<string, number> = { text: 140, date: 110, 'date-time': 150 }
const [LEAST, MOST, PER_LETTER, AROUND] = [110, 220, 8, 26]
const BESIDE = 86 // for the value as delivered, which after a run stands beside the date read from it
const AHEAD = 300 // pixels drawn beyond the view, so that scrolling meets no gap

export interface GridColumn {
  name: string
  type: string
  index: number
  start: number
  width: number
}

export function widthOf({ name, type }: Pick<GridColumn, 'name' | 'type'>, judged: boolean): number {
  const base = (BASE[type] ?? LEAST) + (judged && type.startsWith('date') ? BESIDE : 0)
  return Math.max(base, Math.min(MOST, name.length * PER_LETTER + AROUND))
}

/** `fixed` pixels at the left stay in view; `left` are scrolled away, `wide` are seen. */
export function useGridColumns(
  columns: () => Schemas['ColumnOut'][],
  judged: () => boolean,
  fixed: Ref<number>,
  left: Ref<number>,
  wide: Ref<number>,
) {
  const placed = computed(() => {
    let at = fixed.value
    return columns().map(({ name, type }, index): GridColumn => {
      const width = widthOf({ name, type }, judged())
      at += width
      return { name, type, index, start: at - width, width }
    })
  })
  const all = computed(() => placed.value.reduce((sum, { width }) => sum + width, fixed.value))
  const seen = computed(() => {
    const from = left.value + fixed.value - AHEAD
    const to = left.value + (wide.value || 1200) + AHEAD
    return placed.value.filter((column) => column.start + column.width >= from && column.start <= to)
  })
  /** How far to scroll so that a column is in view; undefined where it is. */
  function scrollTo(index: number, width: number): number | undefined {
    const column = placed.value[index]
    if (!column) return undefined
    const end = column.start + column.width
    if (column.start - fixed.value < left.value) return column.start - fixed.value
    return end > left.value + width ? end - width : undefined
  }
  return { all, seen, scrollTo }
}
