import { describe, expect, it } from 'vitest'
import { recordsLink, filtersOf, phrase, type Filter } from './filters'

describe('filters', () => {
  it.each<[Filter, string]>([
    [{ on: 'column', name: 'ph', test: 'above', value: '14' }, 'ph above “14”'],
    [{ on: 'column', name: 'ph', test: 'missing' }, 'ph is missing'],
    [
      { on: 'column', name: 'ph', test: 'does not read as', value: 'decimal,whole number' },
      'ph does not read as decimal or whole number',
    ],
    [{ on: 'state', value: 'ready,corrected' }, 'ready or corrected'],
    [{ on: 'rule', value: '3' }, 'changed by rule 3'],
  ])('are said in words', (filter, words) => expect(phrase(filter)).toBe(words))

  it('come back from the address they were put in', () => {
    const route = { name: 'profile', params: { id: '7' }, query: { column: 'ph' } }
    const filters: Filter[] = [{ on: 'column', name: 'a "b"', test: 'is', value: 'x&y' }]
    const door = recordsLink(route, 12, filters) as { query: Record<string, string> }
    expect(door.query).toMatchObject({ column: 'ph', records: '12' })
    expect(filtersOf(door.query)).toEqual(filters)
    expect(filtersOf({ where: 'no json' })).toEqual([])
  })
})
