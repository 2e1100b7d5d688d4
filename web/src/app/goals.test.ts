import type { Schemas } from '@/api/client'
import { describe, expect, it } from 'vitest'
import { fitting, goalsFor } from './goals'

const kind = (name: string, title: string, synonyms: string[], check = false) =>
  ({ kind: name, title, synonyms, is_check: check, group: '', about: '', fields: {} }) as Schemas['KindOut']
const feed = {
  name: 'Harbour', slug: 'harbour', waiting: 'delivery 2 waits', deliveries: [{ id: 4, number: 1 }, { id: 9, number: 2 }],
} as unknown as Schemas['FeedOut'] // prettier-ignore
const kinds = [
  kind('drop-columns', 'Drop columns', ['delete column']),
  kind('required', 'Is filled', ['null', 'blank', 'empty'], true),
]
const goals = goalsFor({ delivery: 9, columns: ['chart_no', 'state'], feeds: [feed], kinds })
const labels = (typed: string) => fitting(goals, typed).map(({ label, hint }) => `${label}/${hint}`)

describe('the box that goes anywhere', () => {
  it('finds by name before by what people call it', () => {
    expect(labels('chart')).toEqual([
      'chart_no/column', 'Profile/place', 'Cross-filter/view of the profile', 'Relations/view of the profile',
    ]) // prettier-ignore
    expect(labels('state')[0]).toBe('state/column')
  })
  it('finds rules by the words of the trade, once something is typed', () => {
    expect(labels('delete column')).toEqual(['Drop columns/new correction'])
    expect(labels('blank')).toEqual(['Is filled/new check'])
    expect(labels('').some((label) => label.includes('/new '))).toBe(false)
  })
  it('leads to the rule, the view and the newest delivery', () => {
    expect(fitting(goals, 'delete column')[0]?.to).toEqual({
      name: 'rules',
      params: { id: 9 },
      query: { kind: 'drop-columns' },
    })
    expect(fitting(goals, 'compare')[0]?.to).toEqual({
      name: 'profile',
      params: { id: 9 },
      query: { view: 'compare' },
    })
    expect(labels('harbour')).toEqual(['Harbour, delivery 2/delivery 2 waits', 'Harbour, delivery 1/'])
  })
  it('names each place once: no label leads to two of them', () => {
    const named = goals.map(({ label }) => label)
    expect(new Set(named).size).toBe(named.length)
  })
  it('offers no place or rule of a delivery where there is none', () => {
    const away = goalsFor({ delivery: 0, columns: [], feeds: [], kinds })
    expect(fitting(away, 'blank')).toEqual([])
    expect(fitting(away, 'users')[0]?.label).toBe('People')
  })
})
