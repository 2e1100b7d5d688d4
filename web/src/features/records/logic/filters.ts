/** Filters of records: in words, in the address, for the API. */
import type { LocationQuery, RouteLocationRaw, RouteLocationNormalizedLoaded } from 'vue-router'

export interface Filter {
  on: 'column' | 'state' | 'rule' | 'record' | 'text' | 'any missing'
  name?: string
  test?: string
  value?: string
}

/** A filter as a phrase: "ph above 14". */
export function phrase(filter: Filter): string {
  switch (filter.on) {
    case 'state':
      return (filter.value ?? '').replaceAll(',', ' or ')
    case 'rule':
      return `touched by rule ${filter.value}`
    case 'record':
      return `record ${filter.value}`
    case 'any missing':
      return 'any column is missing'
    case 'text':
      return `any column contains “${filter.value}”`
  }
  const test = filter.test ?? 'is'
  if (test === 'missing' || test === 'filled') return `${filter.name} is ${test}`
  if (test === 'outer spaces' || test === 'invisible marks') return `${filter.name} has ${test}`
  const value =
    test.endsWith('reads as') || test === 'does not read as'
      ? (filter.value ?? '').replaceAll(',', ' or ')
      : `“${filter.value}”`
  return `${filter.name} ${test} ${value}`
}

/** The address that opens records over the present view: of a run, or as delivered when `run` is null. */
export function doorTo(
  route: Pick<RouteLocationNormalizedLoaded, 'name' | 'params' | 'query'>,
  run: number | null,
  filters: Filter[],
): RouteLocationRaw {
  const query: LocationQuery = { ...route.query, records: run === null ? 'delivered' : String(run) }
  if (filters.length) query.where = JSON.stringify(filters)
  else delete query.where
  return { name: route.name ?? undefined, params: route.params, query }
}

/** The filters of an address; what cannot be read is left out. */
export function filtersOf(query: LocationQuery): Filter[] {
  try {
    const found: unknown = JSON.parse(String(query.where ?? '[]'))
    return Array.isArray(found) ? (found as Filter[]).filter((one) => one && typeof one.on === 'string') : []
  } catch {
    return []
  }
}
