/** Filters of records: in words, in the address, for the API. */
import { count } from '@/shared'
import type { LocationQuery, RouteLocationRaw, RouteLocationNormalizedLoaded } from 'vue-router'

import type { Schemas } from '@/api/client'

/** A filter as the address carries it; the API knows which parts each kind has. */
export interface Filter {
  on: string
  name?: string
  test?: string
  value?: string
  values?: string[]
  of?: Filter[]
  phrase?: string
  seen?: string
}
export type AskedFilter = Schemas['NamedFilterIn']['filters'][number]

/** A filter as the API takes it: without the parts that are empty. What its kind does not have, the API refuses. */
export function asked(filter: Filter): AskedFilter {
  return lean(filter) as unknown as AskedFilter
}

function lean(filter: Filter): Filter {
  const parts: Filter = { on: filter.on }
  if (filter.name) parts.name = filter.name
  if (filter.test && filter.test !== 'is') parts.test = filter.test
  if (filter.value) parts.value = filter.value
  if (filter.values?.length) parts.values = filter.values
  if (filter.of?.length) parts.of = filter.of.map(lean)
  if (filter.phrase) parts.phrase = filter.phrase
  if (filter.seen) parts.seen = filter.seen
  return parts
}

/** Whether two lists of filters ask for the same. */
export function areSame(some: readonly Filter[], others: readonly Filter[]): boolean {
  return JSON.stringify(some.map(lean)) === JSON.stringify(others.map(lean))
}

/** A filter as a phrase: "ph above 14". */
export function phrase(filter: Filter): string {
  switch (filter.on) {
    case 'state':
      return (filter.value ?? '').replaceAll(',', ' or ')
    case 'rule':
      return `changed by rule ${filter.value}`
    case 'record':
      return `record ${filter.value}`
    case 'any missing':
      return 'any column is missing'
    case 'records':
      return (filter.values ?? []).length === 1
        ? `record ${filter.values?.[0]}`
        : `${count(filter.values?.length ?? 0)} records by number`
    case 'repeated':
      return `alike in ${(filter.values ?? []).join(', ') || 'every column'}${filter.test === 'matches' ? ', case and spaces aside' : ''}`
    case 'all of':
      return joined(filter, ' and ')
    case 'any of':
      return joined(filter, ' or ')
    case 'none of':
      return `not ${joined(filter, ' or ')}`
    case 'reason':
      return filter.seen
        ? `a wrong value contains “${filter.seen}”`
        : `quarantined: ${filter.name ?? ''} ${filter.phrase ?? ''}`.trim()
    case 'file':
      return Number(filter.value) < 0 ? 'made by rules' : `source file ${Number(filter.value) + 1}`
    case 'formula':
      return filter.value ?? ''
    case 'text':
      return `any column contains “${filter.value}”`
  }
  const test = filter.test ?? 'is'
  if (test === 'missing' || test === 'filled') return `${filter.name} is ${test}`
  const values = filter.values ?? []
  switch (test) {
    case 'one of':
      return `${filter.name} is ${shortened(values.map((value) => `“${value}”`))}`
    case 'between':
      return `${filter.name} from ${values[0]} to ${values[1]}`
    case 'within':
      return `${filter.name} from ${values[0]} to below ${values[1]}`
    case 'dated':
      return `${filter.name} from ${values[0]} to ${values[1]?.replace(/ 23:59:59\.9+$/, '')}`
    case 'matches':
      return `${filter.name} matches ${filter.value}`
    case 'longer':
    case 'shorter':
      return `${filter.name} ${test} than ${filter.value} characters`
    case 'repeated':
      return `${filter.name} occurs more than once`
  }
  if (test === 'outer spaces' || test === 'invisible marks') return `${filter.name} has ${test}`
  const value =
    test.endsWith('reads as') || test === 'does not read as'
      ? (filter.value ?? '').replaceAll(',', ' or ')
      : `“${filter.value}”`
  return `${filter.name} ${test} ${value}`
}

function joined(filter: Filter, word: string): string {
  return `(${shortened((filter.of ?? []).map(phrase), word)})`
}

function shortened(parts: string[], word = ' or ', most = 3): string {
  const rest = parts.length - most
  return rest > 0 ? `${parts.slice(0, most).join(word)} … ${count(rest)} more` : parts.join(word)
}

export type Joining = 'and' | 'or' | 'and not'

/** Filters with one more: all must hold; with "or" the last of them or the new one; with "and not" the new one must
 * not hold. */
export function joinedTo(filters: Filter[], added: Filter, how: Joining): Filter[] {
  const last = filters.at(-1)
  if (how === 'and not') return [...filters, { on: 'none of', of: [added] }]
  if (how === 'and' || !last) return [...filters, added]
  const either = last.on === 'any of' ? [...(last.of ?? []), added] : [last, added]
  return [...filters.slice(0, -1), { on: 'any of', of: either }]
}

export const DELIVERED = 'delivered'
export const LEFT = 'left' // as the rules of the address leave them

/** The address that opens records over the present view: of a run or, when `run` is null, of the table that is looked at:
 * as delivered, or as rules left it. */
export function recordsLink(
  route: Pick<RouteLocationNormalizedLoaded, 'name' | 'params' | 'query'>,
  run: number | null,
  filters: Filter[],
): RouteLocationRaw {
  const query: LocationQuery = {
    ...route.query,
    records: run === null ? (route.query.after ? LEFT : DELIVERED) : String(run),
  }
  if (filters.length) query.where = JSON.stringify(filters)
  else delete query.where
  return { name: route.name ?? undefined, params: route.params, query }
}

/** The filters of an address; what cannot be read is left out. */
export function filtersOf(query: LocationQuery): Filter[] {
  try {
    const filters: unknown = JSON.parse(String(query.where ?? '[]'))
    return Array.isArray(filters)
      ? (filters as Filter[]).filter((item) => item && typeof item.on === 'string')
      : []
  } catch {
    return []
  }
}
