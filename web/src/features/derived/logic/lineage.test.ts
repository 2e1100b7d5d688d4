import { describe, expect, it } from 'vitest'
import {
  branchOf, byDepth, inWords, isTraced, tracedIn, waysOf, type FeedInLineage, type Line, type Place,
} from './lineage' // prettier-ignore

const place = (at: Place['at'], where: string, column: string, id = 1): Place => ({ at, where, column, id })
const feed = (slug: string, depth: number, files: string[] = []): FeedInLineage => ({
  slug,
  depth,
  name: slug.toUpperCase(),
  is_derived: depth > 0,
  is_current: true,
  said: '',
  records: 1,
  columns: [],
  view: '',
  files: files.map((name, at) => ({ id: at, name, delivery: 1 })),
  more_files: 0,
  releases: [],
})
const LINEAGE = {
  feeds: [feed('boats', 0, ['boats.csv']), feed('ports', 0), feed('calls', 1), feed('year', 2)],
  ways: [
    { source: 'boats', target: 'calls', said: ['its records are the first'], used: [1] },
    { source: 'ports', target: 'calls', said: ['step 1: look up columns'], used: [1] },
    { source: 'calls', target: 'year', said: ['its records are the first'], used: [1] },
  ],
}
const LINES: Line[] = [
  {
    ...place('released', 'calls', 'load'),
    before: [place('delivered', 'calls', 'tons'), place('delivered', 'calls', 'crew')],
  },
  { ...place('delivered', 'calls', 'tons'), before: [place('released', 'boats', 'tons')] },
  { ...place('delivered', 'calls', 'crew'), before: [place('released', 'boats', 'crew')] },
  { ...place('released', 'boats', 'tons'), before: [place('delivered', 'boats', 'tons')] },
  { ...place('released', 'boats', 'crew'), before: [] },
  { ...place('delivered', 'boats', 'tons'), before: [place('file', 'boats.csv', 'Tonnes')] },
  { ...place('file', 'boats.csv', 'Tonnes'), before: [] },
]

describe('the lineage as it is drawn', () => {
  it('puts each feed right of those it is made from', () => {
    expect(byDepth(LINEAGE.feeds).map((rank) => rank.map(({ slug }) => slug))).toEqual([
      ['boats', 'ports'],
      ['calls'],
      ['year'],
    ])
    expect(byDepth([])).toEqual([])
  })
  it('leads files into their feed and feeds into those made from them', () => {
    expect(waysOf(LINEAGE).map(({ from, to }) => `${from} > ${to}`)).toEqual([
      'files of boats > boats',
      'boats > calls',
      'ports > calls',
      'calls > year',
    ])
  })
  it('marks the ways that the traced column came, and no others', () => {
    const traced = waysOf(LINEAGE).filter((way) => isTraced(LINES, way))
    expect(traced.map(({ from }) => from)).toEqual(['files of boats', 'boats'])
  })
  it('names the columns of a box that it came through', () => {
    expect(tracedIn(LINES, 'delivered', 'calls').map(({ column }) => column)).toEqual(['tons', 'crew'])
    expect(tracedIn(LINES, 'file').map(({ column }) => column)).toEqual(['Tonnes'])
    expect(tracedIn(LINES, 'released', 'ports')).toEqual([])
  })
})

describe('the places of a traced column as a tree', () => {
  it('goes back from the released column to the heads in files', () => {
    const tree = branchOf(LINES)
    expect(tree?.place.column).toBe('load')
    expect(tree?.from.map(({ place: { column } }) => column)).toEqual(['tons', 'crew'])
    expect(tree?.from[0]?.from[0]?.from[0]?.from[0]?.place).toEqual(place('file', 'boats.csv', 'Tonnes'))
    expect(branchOf([])).toBeUndefined()
  })
  it('ends where a place would come again', () => {
    const circle: Line[] = [
      { ...place('released', 'a', 'x'), before: [place('released', 'b', 'x')] },
      { ...place('released', 'b', 'x'), before: [place('released', 'a', 'x')] },
    ]
    expect(branchOf(circle)?.from[0]?.from).toEqual([])
  })
  it('says each place in words', () => {
    const names = new Map([['calls', 'Calls']])
    expect(inWords(place('released', 'calls', 'load'), names)).toEqual(['load', 'released, Calls'])
    expect(inWords(place('delivered', 'calls', 'tons'), names)).toEqual(['tons', 'as delivered, Calls'])
    expect(inWords(place('library', 'ports', 'name'), names)).toEqual(['name', 'reference table ports'])
    expect(inWords(place('file', 'a.csv', 'N'), names)).toEqual(['N', 'head in a.csv'])
  })
})
