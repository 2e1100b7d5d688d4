import { api, unwrap } from '@/api/client'
import type { ComputedRef } from 'vue'
import type { LocationQuery, RouteLocationRaw } from 'vue-router'

export const KINDS = ['changed', 'added', 'gone'] as const
export type Kind = (typeof KINDS)[number]

/** The two tables that are compared: a release, and a later one or what would be released of a delivery. */
export interface Sides {
  before: number
  after?: number
  delivery?: number
}

/** What an address asks to be compared. */
export function askedOf(query: LocationQuery): Sides {
  const number = (value: unknown) => (Number(value) > 0 ? Number(value) : undefined)
  const after = number(query.after)
  return {
    before: number(query.before) ?? 0,
    ...(after ? { after } : { delivery: number(query.delivery) }),
  }
}

/** The page with what changed. */
export const changesLink = (slug: string, sides: Sides, kind?: Kind): RouteLocationRaw => ({
  name: 'changes',
  params: { slug },
  query: { ...sides, kind },
})

/** How what changed is asked for; the answer is the same wherever it is shown. */
export const changesQuery = (
  slug: ComputedRef<string>,
  sides: ComputedRef<Sides>,
  enabled?: ComputedRef<boolean>,
) => ({
  queryKey: ['changes', slug, sides],
  queryFn: () =>
    unwrap(
      api.GET('/api/feeds/{slug}/changes', {
        params: { path: { slug: slug.value }, query: sides.value },
      }),
    ),
  enabled,
  retry: false,
})
