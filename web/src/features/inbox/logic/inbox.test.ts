import { describe, expect, it } from 'vitest'
import { doorOf, fitting, type Waits } from './inbox'

const waits = (feed: string, more: Partial<Waits> = {}): Waits => ({
  sort: 'news',
  feed: { slug: feed.toLowerCase(), name: feed },
  owner: 'I. Marlo',
  delivery: 4,
  place: 'new',
  says: '2 new in delivery 4',
  blocks: ['its release'],
  since: null,
  ...more,
})

describe('what waits', () => {
  it('leads to the place of its delivery, or to the feed where nothing came', () => {
    expect(doorOf(waits('Tanks'))).toEqual({ name: 'new', params: { id: 4 } })
    const late = waits('Tanks', { sort: 'late', delivery: null, place: '' })
    expect(doorOf(late)).toEqual({ name: 'feed', params: { slug: 'tanks' } })
  })
  it('is found by the words of its feed, its text, its owner and what it blocks', () => {
    const both = [
      waits('Tanks'),
      waits('Pumps', { blocks: ['the reference table pumps'], owner: 'R. Tessen' }),
    ]
    const names = (search: string, owner = '') => fitting(both, search, owner).map((each) => each.feed.name)
    expect(names('')).toEqual(['Tanks', 'Pumps'])
    expect(names('reference')).toEqual(['Pumps'])
    expect(names('NEW tanks')).toEqual(['Tanks'])
    expect(names('tanks pumps')).toEqual([])
    expect(names('', 'I. Marlo')).toEqual(['Tanks'])
  })
})
