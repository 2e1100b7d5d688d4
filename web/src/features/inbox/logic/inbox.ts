/** What waits for the person who is signed in. */
import { api, unwrap, type Schemas } from '@/api/client'
import { finder } from '@/shared'
import { useQuery } from '@tanstack/vue-query'
import type { MaybeRef } from 'vue'
import type { RouteLocationRaw } from 'vue-router'

export type Waits = Schemas['WaitsOut']

const OFTEN = 60_000 // milliseconds: what is late becomes so without any work going on

export const useInbox = (enabled: MaybeRef<boolean> = true) =>
  useQuery({
    queryKey: ['inbox'],
    queryFn: () => unwrap(api.GET('/api/inbox')),
    refetchInterval: OFTEN,
    enabled,
  })

/** Where one goes on with it: in its delivery, or on the page of the feed. */
export function doorOf(waits: Waits): RouteLocationRaw {
  return waits.delivery
    ? { name: waits.place, params: { id: waits.delivery } }
    : { name: 'feed', params: { slug: waits.feed.slug } }
}

/** Those whose feed, text or owner holds all the words; only a person's own feeds where these are asked for. */
export function fitting(waits: readonly Waits[], search: string, owner = ''): Waits[] {
  const fits = finder(search)
  return waits.filter(
    (each) => fits(each.feed.name, each.says, each.owner, ...each.blocks) && (!owner || each.owner === owner),
  )
}
