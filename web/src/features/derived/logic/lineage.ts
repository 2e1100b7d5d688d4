/** The lineage of a released table as it is drawn: files, then feeds, each right of those it is made from. */
import type { Schemas } from '@/api/client'

export type Lineage = Schemas['LineageOut']
export type FeedInLineage = Schemas['FeedInLineage']
export type Line = Schemas['LineageLine']
export type Place = Schemas['LineagePlace']

/** The feeds by how deep they are made from others. */
export function byDepth(feeds: FeedInLineage[]): FeedInLineage[][] {
  const deepest = Math.max(-1, ...feeds.map((feed) => feed.depth))
  return Array.from({ length: deepest + 1 }, (_, depth) => feeds.filter((feed) => feed.depth === depth))
}

export interface Way {
  from: string
  to: string
}

/** What leads where: files into their feed, feeds into those made from them. */
export function waysOf({ feeds, ways }: Lineage): Way[] {
  const ofFiles = feeds
    .filter((feed) => feed.files.length)
    .map(({ slug }) => ({ from: filesOf(slug), to: slug }))
  return [...ofFiles, ...ways.map(({ source, target }) => ({ from: source, to: target }))]
}

/** The name of the box with the files of a feed. */
export const filesOf = (slug: string): string => `files of ${slug}`

const same = (one: Place, other: Place) =>
  one.at === other.at && one.where === other.where && one.column === other.column && one.id === other.id

/** The columns of a box that a traced column came through, each once. */
export function tracedIn(lines: Line[], at: Place['at'], where?: string): Place[] {
  return lines.filter((line) => line.at === at && (where === undefined || line.where === where))
}

/** Whether a way is one that a traced column came. */
export function isTraced(lines: Line[], way: Way): boolean {
  if (way.from === filesOf(way.to)) {
    const delivered = tracedIn(lines, 'delivered', way.to) as Line[]
    return delivered.some((line) => line.before.some((place) => place.at === 'file'))
  }
  return lines.some(
    (line) =>
      line.where === way.to &&
      line.at !== 'file' &&
      line.before.some((place) => place.at === 'released' && place.where === way.from),
  )
}

export interface Branch {
  place: Place
  from: Branch[]
}

/** The places of a traced column as a tree, from the released column back to the heads in files. */
export function branchOf(
  lines: Line[],
  place: Place | undefined = lines[0],
  above: Place[] = [],
): Branch | undefined {
  if (!place) return undefined
  const line = lines.find((each) => same(each, place))
  const before = (line?.before ?? []).filter((each) => !above.some((known) => same(known, each)))
  return {
    place,
    from: before.flatMap((each) => branchOf(lines, each, [...above, place]) ?? []),
  }
}

/** A place in words; `names`: of feeds by slug. */
export function inWords({ at, where, column }: Place, names: Map<string, string>): [string, string] {
  const feed = names.get(where) ?? where
  if (at === 'released') return [column, `released, ${feed}`]
  if (at === 'delivered') return [column, `as delivered, ${feed}`]
  if (at === 'library') return [column, `reference table ${where}`]
  return [column, `head in ${where}`]
}
