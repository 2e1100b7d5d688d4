import { describe, expect, it } from 'vitest'
import type { Schemas } from '@/api/client'
import { amendmentOf, repairsOf } from './amendment'

type Listed = Schemas['FindingOut']
const finding = (id: string, columns: string[], kind?: string): Listed =>
  ({ finding: { id, columns, rule: kind ? { kind, columns } : null }, sentence: [] }) as unknown as Listed
const LOOKED_UP = { table: 'places', mine: 'id', theirs: 'code', take: 'place' }
const SAID = {
  value: '7',
  formula: 'ph / 10',
  repair: finding('a', ['ph'], 'scale-values'),
  lookedUp: LOOKED_UP,
}

describe('what an amendment puts in', () => {
  it.each([
    ['value', { values: { ph: '7' } }],
    ['formula', { column: 'ph', formula: 'ph / 10' }],
    ['repair', { column: 'ph', rule: { kind: 'scale-values', columns: ['ph'], id: 'amend' } }],
    [
      'reference',
      {
        column: 'ph',
        rule: {
          kind: 'look-up', id: 'amend', reference: 'places', keys: [{ code: 'id', meaning: 'code' }], take: ['place'], prefix: 'found: ',
        },
      },
    ],
  ] as const)('by %s', (way, body) => {
    expect(amendmentOf(way, 'ph', SAID)).toEqual(body)
    expect(amendmentOf(way, '', SAID)).toBeUndefined()
  }) // prettier-ignore
  it('is nothing while something is missing, but a missing value is a value', () => {
    const nothing = { value: '', formula: '  ', repair: undefined, lookedUp: { ...LOOKED_UP, take: '' } }
    expect(amendmentOf('value', 'ph', nothing)).toEqual({ values: { ph: null } })
    for (const way of ['formula', 'repair', 'reference'] as const)
      expect(amendmentOf(way, 'ph', nothing)).toBeUndefined()
  })
  it('may be a repair that the profile proposes for the column, but no check', () => {
    const all = [
      finding('scale', ['ph'], 'scale-values'),
      finding('outliers', ['ph'], 'in-range'),
      finding('rare', ['ph']),
      finding('trim', ['site'], 'trim-spaces'),
    ]
    expect(repairsOf(all, 'ph', new Set(['in-range'])).map((each) => each.finding.id)).toEqual(['scale'])
  })
})
