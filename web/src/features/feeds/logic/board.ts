/** The board of feeds: those that fit, in groups. */
import type { Schemas } from '@/api/client'
import { finder } from '@/shared'

export type Feed = Schemas['FeedOut']

/** By what feeds can stand together. */
export const GROUPS = { owner: 'by owner', supplier: 'by supplier' } as const
export type Group = keyof typeof GROUPS

export const isGroup = (text: unknown): text is Group =>
  typeof text === 'string' && Object.hasOwn(GROUPS, text)

/** The feeds whose name, supplier or owner holds all the words; only those that wait for a person where these are asked for. */
export function fitting(feeds: readonly Feed[], search: string, onlyWaiting: boolean): Feed[] {
  const fits = finder(search)
  return feeds.filter(
    (feed) => fits(feed.name, feed.supplier, feed.owner) && (!onlyWaiting || feed.waiting !== ''),
  )
}

/** Feeds in groups, in the order of their first feed: so what waits stays first. One group without a name where none is asked for. */
export function grouped(feeds: readonly Feed[], by: Group | ''): { name: string; feeds: Feed[] }[] {
  const groups = new Map<string, Feed[]>()
  for (const feed of feeds) {
    const name = by ? feed[by] || `no ${by}` : ''
    groups.set(name, [...(groups.get(name) ?? []), feed])
  }
  return [...groups].map(([name, its]) => ({ name, feeds: its }))
}
