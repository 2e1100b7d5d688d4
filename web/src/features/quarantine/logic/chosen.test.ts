import { describe, expect, it } from 'vitest'
import type { Schemas } from '@/api/client'
import { about, asParameters, chosenOf, endedIn, filesOf, putIn, said, sizeOf } from './chosen'

const FILES = ['north.txt', 'south.txt']

describe('which cases an address asks for', () => {
  it('asks for all that wait where it says nothing', () => {
    expect(chosenOf({}, FILES)).toEqual({
      where: [],
      standing: 'waiting',
      owner: undefined,
      overdue: false,
      returned: false,
    })
  })
  it.each([
    [{ rule: '9', name: 'ph', phrase: 'is above 14' }, [{ on: 'reason', value: '9', name: 'ph', phrase: 'is above 14' }]],
    [{ rule: '0', name: 'ph' }, [{ on: 'reason', value: '0', name: 'ph', phrase: '' }]],
    [{ file: '1' }, [{ on: 'file', value: '1' }]],
    [{ file: '-1' }, [{ on: 'file', value: '-1' }]],
    [{ file: '2' }, []],
    [{ file: 'x' }, []],
    [{ text: 'acid' }, [{ on: 'any of', of: [{ on: 'text', value: 'acid' }, { on: 'reason', seen: 'acid' }] }]],
  ])('%o', (query, where) => {
    expect(chosenOf(query, FILES).where).toEqual(where)
  }) // prettier-ignore
  it.each([
    ['settled', 'settled'],
    ['again', 'again'],
    ['nonsense', 'waiting'],
  ])('standing %s is %s', (standing, meant) => {
    expect(chosenOf({ standing }, FILES).standing).toBe(meant)
  })
  it('takes an owner by number, nobody by 0, and nothing else', () => {
    expect(chosenOf({ owner: '3' }, FILES).owner).toBe(3)
    expect(chosenOf({ owner: '0' }, FILES).owner).toBe(0)
    expect(chosenOf({ owner: 'ana' }, FILES).owner).toBeUndefined()
    expect(chosenOf({ overdue: 'yes' }, FILES).overdue).toBe(true)
  })
  it.each([
    ['12', 12],
    ['0', undefined],
    ['-1', undefined],
    ['1e3', undefined],
    [['1', '2'], undefined],
  ])('since run %s is %s', (since, run) => {
    expect(chosenOf({ since } as Record<string, string>, FILES).since).toBe(run)
  })
  it('is put into an address of the API', () => {
    const parameters = asParameters(chosenOf({ file: '0', owner: '0' }, FILES))
    expect(parameters).toEqual({ where: '[{"on":"file","value":"0"}]', standing: 'waiting', owner: 0, overdue: false, returned: false })
  }) // prettier-ignore
})

describe('which records an act is about', () => {
  it('some by number', () => {
    expect(about({ records: [3, 5] }, 8)).toEqual({ records: [3, 5], run: 8 })
    expect(about({ records: [3] }, null)).toEqual({ records: [3] })
    expect(sizeOf({ records: [3, 5] })).toBe(2)
  })
  it('all that fit, as many as were seen', () => {
    const which = { chosen: chosenOf({ file: '0', standing: 'all' }, FILES), count: 106 }
    expect(about(which, 8)).toEqual({
      where: [{ on: 'file', value: '0' }], among: { standing: 'all', owner: undefined, overdue: false, returned: false }, count: 106, run: 8,
    })
    expect(sizeOf(which)).toBe(106)
  }) // prettier-ignore
})

describe('an act in words', () => {
  const act = (more: Partial<Schemas['DecisionOut']>): Schemas['DecisionOut'] => ({
    id: 1, kind: 'amend', records: 1, details: {}, justification: '', until: null, owner: '', who: 'I. Marlo',
    at: '2026-11-28T09:00:00Z', undone_by: '', undone_at: null, holds: true, read_otherwise: false, sent: [], ...more,
  }) // prettier-ignore
  it.each([
    [{}, '1 record amended'],
    [{ records: 1200, kind: 'discard' }, '1,200 records discarded'],
    [{ kind: 'accept' }, '1 record accepted as exception'],
    [{ kind: 'accept', until: '2026-12-24' }, '1 record accepted as exception until 2026-12-24'],
    [
      { kind: 'accept', details: { later: true } },
      '1 record accepted as exception, also in later deliveries',
    ],
    [
      { kind: 'accept', details: { made_in: { number: 3 } } },
      '1 record accepted as exception, as in delivery 3',
    ],
    [{ kind: 'assign', owner: 'R. Tessen' }, '1 record assigned to R. Tessen'],
    [{ kind: 'assign' }, '1 record assigned to nobody'],
    [{ kind: 'wait', until: '2026-12-24', records: 2 }, '2 records waiting until 2026-12-24'],
  ])('%o', (more, words) => {
    expect(said(act(more))).toBe(words)
  })
  it('has a file for each source of what was returned to suppliers', () => {
    const returned = (sources: unknown, more = {}) =>
      act({ id: 7, kind: 'return', records: 3, details: { sources }, ...more })
    const place = '/api/deliveries/3/decisions/7/return-file'
    expect(filesOf(3, returned([[1, 3]]), FILES)).toEqual([
      {
        label: 'File for the supplier',
        forms: [
          { label: 'CSV', address: `${place}?form=csv&source=1` },
          { label: 'XLSX', address: `${place}?form=xlsx&source=1` },
        ],
      },
    ])
    expect(filesOf(3, returned([]), FILES)[0]!.forms[0]!.address).toBe(`${place}?form=csv`)
    const two = filesOf(3, returned([[0, 1], [1, 2]]), FILES) // prettier-ignore
    expect(two.map((file) => file.label)).toEqual(['north.txt: 1', 'south.txt: 2'])
    expect(two[1]!.forms[1]!.address).toBe(`${place}?form=xlsx&source=1`)
    expect(filesOf(3, returned([[0, 3]], { holds: false }), FILES)).toEqual([])
    expect(filesOf(3, act({}), FILES)).toEqual([])
    expect(said(returned([], { until: '2030-01-31' }))).toBe(
      '3 records returned to the supplier until 2030-01-31',
    )
  })
  it('tells how cases ended', () => {
    expect(endedIn(undefined)).toEqual([])
    expect(endedIn({ amend: 0, accept: 0, discard: 0, rules: 0 })).toEqual([])
    expect(endedIn({ amend: 1200, accept: 3, discard: 0, rules: 2 })).toEqual([
      '1,200 amended',
      '3 accepted',
      '2 ready by a change of rules',
    ])
  })
  it('tells the values or the formula that it put in', () => {
    expect(putIn({ values: { ph: '7', site: null } })).toEqual([
      { name: 'ph', value: '7', formula: false },
      { name: 'site', value: null, formula: false },
    ])
    expect(putIn({ column: 'ph', formula: 'ph / 10' })).toEqual([{ name: 'ph', value: 'ph / 10', formula: true }])
    expect(putIn({ column: 'ph', rule: {}, sentence: 'Multiply ph by 0.1.' })).toEqual([
      { name: 'ph', value: 'Multiply ph by 0.1.', formula: true },
    ])
    expect(putIn({})).toEqual([])
  }) // prettier-ignore
})
