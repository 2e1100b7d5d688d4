/** What the address asks for, already while the router is on its way there.
 *
 * The router takes a moment to change the address. Whoever presses a key twice in that moment builds on what the first
 * press asked for, not on what the address still says: no step and no choice is lost.
 */
import { computed, shallowRef, type ComputedRef } from 'vue'
import { useRoute, useRouter, type LocationQuery, type Router } from 'vue-router'

/** What is to change in the address; undefined takes an entry off. */
export type Changes = Record<string, string | undefined>

/** Ask for changes of `base`, by default of all that the address asks for now. */
export type Ask = (changes: Changes, base?: LocationQuery) => void

interface Way {
  router: Router
  path: string
  query: LocationQuery
}
const underWay = shallowRef<Way>()

export function useAddress(): { query: ComputedRef<LocationQuery>; ask: Ask } {
  const route = useRoute()
  const router = useRouter()
  const query = computed(() => {
    const way = underWay.value
    return way && way.router === router && way.path === route.path ? way.query : route.query
  })
  const ask: Ask = (changes, base = query.value) => {
    const asked = Object.entries({ ...base, ...changes }).filter(([, value]) => value !== undefined)
    const way = { router, path: route.path, query: Object.fromEntries(asked) as LocationQuery }
    underWay.value = way
    void router.replace({ query: way.query }).finally(() => {
      if (underWay.value === way) underWay.value = undefined
    })
  }
  return { query, ask }
}
