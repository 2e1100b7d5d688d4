/** Relations between columns, and what they say about suitability for a model. */
import { api, unwrap, type Schemas } from '@/api/client'
import { computed, type Ref } from 'vue'
import { useAnalysis } from '@/features/delivery'
import { useTable } from './lookedAt'

export type Relations = Schemas['Relations']
export type Pair = Schemas['Pair']

export function useRelations(
  id: Ref<number>,
  profile: Ref<Schemas['Profile'] | undefined>,
  target: Ref<string>,
  exact: Ref<boolean>,
) {
  const table = useTable()
  const of = computed(() =>
    (profile.value?.columns ?? []).map((c) => `${c.name} ${c.type} ${c.role} ${c.distinct}`).join('\n'),
  )
  return useAnalysis(
    computed(() => ['relations', id.value, target.value, exact.value, table.value, of.value]),
    () =>
      unwrap(
        api.POST('/api/deliveries/{delivery_id}/relations', {
          params: { path: { delivery_id: id.value } },
          body: { target: target.value, exact: exact.value, table: table.value },
        }),
      ),
    (relations_id) =>
      unwrap(api.GET('/api/relations/{relations_id}', { params: { path: { relations_id } } })),
    () => Boolean(profile.value && !profile.value.awaited),
  )
}

/** Strengths as a square, by place: [row][column]. */
export function square(pairs: Pair[], size: number): (Pair | undefined)[][] {
  const cells = Array.from({ length: size }, () => new Array<Pair | undefined>(size).fill(undefined))
  for (const pair of pairs) {
    cells[pair.left]![pair.right] = pair
    cells[pair.right]![pair.left] = pair
  }
  return cells
}

/** An order that puts columns beside those they are most like: from the strongest pair on, always the nearest next. */
export function alikeTogether(cells: (Pair | undefined)[][]): number[] {
  const left = new Set(cells.map((_, at) => at))
  const strength = (a: number, b: number) => cells[a]?.[b]?.strength ?? 0
  const most = (of: number[], from: number) =>
    of.reduce((best, item) => (strength(from, item) > strength(from, best) ? item : best))
  const total = cells.map((row) => row.reduce((sum, pair) => sum + (pair?.strength ?? 0) ** 2, 0))
  const order: number[] = []
  let now = total.indexOf(Math.max(...total))
  while (left.size) {
    order.push(now)
    left.delete(now)
    if (left.size) now = most([...left], now)
  }
  return order
}

/** How much a category tells of another one and how much that tells back, where it is not the same both ways. */
export function bothWays(pair: Pair, of: number): string {
  const { right_by_left: forth, left_by_right: back } = pair
  if (typeof forth !== 'number' || typeof back !== 'number' || Math.abs(forth - back) < 0.1) return ''
  const [there, home] = pair.left === of ? [forth, back] : [back, forth]
  return `${there.toFixed(2)} / ${home.toFixed(2)}`
}

export interface Limits {
  missing: number
  repeats: number
  leaks: number
}
export interface Fitness {
  column: Schemas['ColumnProfile']
  missing: number
  constant: boolean
  different: boolean
  repeats?: { name: string; strength: number }
  association: number | null
  skill: number | null
  gap: number | null
  reasons: string[]
  /** What a person should look at before the column is used; it does not exclude it. */
  remarks: string[]
}
/** From so much on a column alone predicts the target so well that somebody should ask when it is known. */
export const NEARLY = 0.9

/** The cells whose word for nothing is an answer of the column like the others, and so not missing. */
const answered = (column: Schemas['ColumnProfile']) =>
  Math.min(
    column.kinds['missing token'] ?? 0,
    column.meant.reduce((sum, item) => sum + item.count, 0),
  )

/** How fit each column is for a model, and the reasons why it falls out under the limits. */
export function suitability(
  profile: Schemas['Profile'],
  relations: Relations | undefined,
  target: string,
  limits: Limits,
): Fitness[] {
  const place = new Map(relations?.columns.map((column, at) => [column.name, at]))
  const cells = square(relations?.pairs ?? [], relations?.columns.length ?? 0)
  const foretoldBy = new Map(relations?.foretold.map((item) => [item.name, item]))
  const out = new Set<string>()
  const distinct = new Map(profile.columns.map((column) => [column.name, column.distinct]))
  /** A category repeats another one only if it is no coarser; any unit of a number has as much to say. */
  const asMany = (other: string, column: Schemas['ColumnProfile']) => {
    const [a, b] = [distinct.get(other) ?? 0, column.distinct]
    return (
      relations?.columns[place.get(other) ?? -1]?.scale === 'number' || Math.min(a, b) >= 0.9 * Math.max(a, b)
    )
  }
  return profile.columns.map((column) => {
    const tokens = (column.kinds['missing token'] ?? 0) - answered(column)
    const gone = column.missing + tokens
    const missing = profile.records ? gone / profile.records : 0
    const present = profile.records - gone
    const at = place.get(column.name)
    const related = at === undefined ? undefined : relations?.columns[at]
    const prediction = foretoldBy.get(column.name)
    const fitness: Fitness = {
      column,
      missing,
      constant: present > 0 && column.distinct - (tokens > 0 ? 1 : 0) <= 1,
      different: related?.why_not.startsWith('nearly all') ?? false,
      association: prediction?.association ?? null,
      skill: prediction?.skill ?? null,
      gap: prediction?.missing ?? null,
      reasons: [],
      remarks: [],
    }
    if (at !== undefined) {
      for (let other = 0; other < at; other += 1) {
        const rival = relations!.columns[other]!
        const strength = cells[at]![other]?.strength ?? 0
        const comparable =
          rival.scale === related?.scale &&
          rival.name !== target &&
          !out.has(rival.name) &&
          asMany(rival.name, column)
        if (comparable && strength > (fitness.repeats?.strength ?? 0))
          fitness.repeats = { name: rival.name, strength }
      }
    }
    if (column.name === target) return fitness
    const { reasons } = fitness
    if (!present) reasons.push('is empty')
    else if (missing > limits.missing) reasons.push(`${Math.floor(missing * 1000) / 10} % missing`)
    if (fitness.constant) reasons.push('has one value only')
    if (fitness.different) reasons.push('nearly all values are distinct')
    if ((fitness.repeats?.strength ?? 0) >= limits.repeats) reasons.push(`repeats ${fitness.repeats!.name}`)
    const [skill, alike, gap] = [fitness.skill ?? 0, fitness.association ?? 0, fitness.gap ?? 0]
    if (skill >= limits.leaks) reasons.push('determines the target: is it known only afterwards?')
    else if (alike >= limits.leaks) reasons.push('hardly differs from the target')
    else if (gap >= limits.leaks) reasons.push('is missing with the target')
    else if (Math.max(skill, alike, gap) >= NEARLY)
      fitness.remarks.push('predicts the target almost alone: check when it is known')
    if (reasons.length) out.add(column.name)
    return fitness
  })
}

/** Whether one falls as the other rises, as the stronger of the two correlations says. */
export function isFalling(pair: Pair): boolean {
  const isRanked = Math.abs(pair.spearman ?? 0) > Math.abs(pair.pearson ?? 0)
  return ((isRanked ? pair.spearman : pair.pearson) ?? 0) < 0
}

/** A measure with two digits; `none` where there is none. */
export const two = (value: number | null | undefined, none = '–'): string =>
  value === null || value === undefined ? none : value.toFixed(2).replace(/^-(0\.00)$/, '$1')

/** The address of the cross-filter with these columns. */
export const bothFilter = (...columns: string[]) => ({
  query: { view: 'cross-filter', look: JSON.stringify(columns.map((name) => ({ name }))) },
})
