/** The columns of a profile as lines of the register: which, in which order, and the chosen one. */
import type { Schemas } from '@/api/client'
import { computed, ref, type Ref } from 'vue'
import { pressing, type Listed } from './findings'

export interface Line {
  column: Schemas['ColumnProfile']
  findings: Listed[] // that are open
}
export type Order = 'table' | 'worst' | 'role'

const RANK = { high: 10_000, middle: 100, low: 1 }
const weight = (line: Line): number =>
  line.findings.reduce((sum, { finding }) => sum + RANK[finding.severity] + finding.share, 0)

/** Lines in the order asked for; columns that weigh the same stay in table order. */
export function ordered(lines: Line[], order: Order): Line[] {
  if (order === 'worst') return [...lines].sort((a, b) => weight(b) - weight(a))
  if (order === 'role') return [...lines].sort((a, b) => a.column.role.localeCompare(b.column.role))
  return lines
}

export function useRegister(
  columns: Ref<Schemas['ColumnProfile'][] | undefined>,
  byColumn: Ref<Map<string, Listed[]>>,
  asked: () => unknown,
) {
  const find = ref('')
  const order = ref<Order>('table')
  const onlyMarked = ref(false)
  const lines = computed(() => {
    const word = find.value.toLowerCase()
    const found = (columns.value ?? [])
      .map((column) => ({
        column,
        findings: (byColumn.value.get(column.name) ?? []).filter((item) => item.state === 'open'),
      }))
      .filter(
        ({ column, findings }) =>
          column.name.toLowerCase().includes(word) && (!onlyMarked.value || findings.some(pressing)),
      )
    return ordered(found, order.value)
  })
  const chosen = computed(() => lines.value.find(({ column }) => column.name === asked()) ?? lines.value[0])
  const place = computed(() => lines.value.findIndex((line) => line === chosen.value))
  return { find, order, onlyMarked, lines, chosen, place }
}
