import type { Schemas } from '@/api/client'
import { describe, expect, it } from 'vitest'
import { chosenOf, panelsOf, showOf } from './crossFilter'
import {
  alikeTogether, bothWays, isFalling, square, suitability, two, type Pair, type Relations,
} from './relations' // prettier-ignore

const column = (name: string, entries: object = {}) =>
  ({
    name,
    type: 'decimal',
    missing: 0,
    distinct: 50,
    kinds: {},
    meant: [],
    numbers: {},
    ...entries,
  }) as unknown as Schemas['ColumnProfile']
const related = (name: string, scale = 'number', why_not = '') => ({ name, scale, why_not })
const profile = {
  records: 100,
  columns: [
    column('target'), column('a'), column('a_in_feet'), column('sparse', { missing: 70 }), column('key'),
    column('fixed', { distinct: 1 }), column('empty', { missing: 100, distinct: 0 }), column('leak'),
  ],
} as unknown as Schemas['Profile'] // prettier-ignore
const relations = {
  columns: [
    related('target'), related('a'), related('a_in_feet'), related('sparse'),
    related('key', 'none', 'nearly all values are distinct'), related('fixed', 'none', 'it does not vary'),
    related('empty', 'none', 'it does not vary'), related('leak'),
  ],
  pairs: [
    { left: 1, right: 2, strength: 0.99 }, { left: 0, right: 7, strength: 0.7 }, { left: 0, right: 1, strength: 0.99 },
  ],
  foretold: [{ name: 'leak', association: 0.7, skill: 0.97, missing: null }],
} as unknown as Relations // prettier-ignore
const out = (limits: { missing: number; repeats: number; leaks: number }) =>
  suitability(profile, relations, 'target', limits)
    .filter((item) => item.reasons.length)
    .map((item) => `${item.column.name}: ${item.reasons.join(', ')}`)

describe('a word for nothing that is an answer', () => {
  const kinds = { text: 20, 'missing token': 80 }
  const judged = (more: object) =>
    suitability(
      { records: 100, columns: [column('symptoms', { kinds, distinct: 3, ...more })] } as unknown as Schemas['Profile'],
      undefined,
      '',
      { missing: 0.5, repeats: 0.98, leaks: 0.98 },
    )[0]!

  it('is missing in a column that has no such answer', () => {
    expect(judged({})).toMatchObject({ missing: 0.8, reasons: ['80 % missing'] })
  })
  it('is not missing where it is one', () => {
    expect(judged({ meant: [{ value: 'none', count: 80 }] })).toMatchObject({ missing: 0, reasons: [] })
  })
  it('leaves other tokens missing', () => {
    expect(judged({ meant: [{ value: 'none', count: 20 }] })).toMatchObject({ missing: 0.6, reasons: ['60 % missing'] })
  })
  it('is a value of its own when it is told whether a column has one value only', () => {
    expect(judged({ distinct: 2 })!.constant).toBe(true)
    expect(judged({ distinct: 2, meant: [{ value: 'none', count: 80 }] })!.constant).toBe(false)
  })
}) // prettier-ignore

describe('suitability', () => {
  it('says why each column falls out', () => {
    expect(out({ missing: 0.6, repeats: 0.98, leaks: 0.9 })).toEqual([
      'a_in_feet: repeats a',
      'sparse: 70 % missing',
      'key: nearly all values are distinct',
      'fixed: has one value only',
      'empty: is empty',
      'leak: determines the target: is it known only afterwards?',
    ])
  })
  it('a strong predictor is no leak by itself: it stays, with a remark', () => {
    const judged = suitability(profile, relations, 'target', { missing: 0.6, repeats: 0.98, leaks: 0.98 })
    const strong = judged.find((item) => item.column.name === 'leak')
    expect(strong?.reasons).toEqual([])
    expect(strong?.remarks).toEqual(['predicts the target almost alone: check when it is known'])
    expect(judged.filter((item) => item.remarks.length)).toHaveLength(1)
    expect(judged.find((item) => item.column.name === 'target')?.remarks).toEqual([])
  })
  it('follows the limits', () => {
    expect(out({ missing: 0.75, repeats: 1, leaks: 0.98 }).map((said) => said.split(':')[0])).toEqual([
      'key',
      'fixed',
      'empty',
    ])
  })
})

it('says of two categories what each tells of the other, seen from either, where that differs', () => {
  const pair = { left: 2, right: 5, strength: 0.9, right_by_left: 1, left_by_right: 0.44 }
  expect(bothWays(pair, 2)).toBe('1.00 / 0.44')
  expect(bothWays(pair, 5)).toBe('0.44 / 1.00')
  expect(bothWays({ ...pair, left_by_right: 0.95 }, 2)).toBe('')
  expect(bothWays({ left: 2, right: 5, strength: 0.9 }, 2)).toBe('')
})

it('puts columns beside those they are most like', () => {
  const pairs = [
    { left: 0, right: 3, strength: 0.9 },
    { left: 1, right: 2, strength: 0.8 },
    { left: 2, right: 3, strength: 0.1 },
  ]
  expect(alikeTogether(square(pairs, 4))).toEqual([3, 0, 1, 2])
})

describe('panels', () => {
  const dates = column('day', {
    type: 'date',
    dates: { formats: [{ value: '%Y-%m-%d' }, { value: '%d.%m.%Y' }] },
  })
  it.each([
    [{ name: 'a', range: ['1', '2'] }, column('a'), { test: 'within', values: ['1', '2'] }],
    [
      { name: 'day', range: ['2024-01-01', '2024-01-31'] },
      dates,
      { test: 'dated', value: '%Y-%m-%d|%d.%m.%Y', values: ['2024-01-01', '2024-01-31 23:59:59.999999'] },
    ],
    [{ name: 'a', show: 'values', picked: ['x', ''] }, column('a'), { test: 'one of', values: ['x', ''] }],
    [{ name: 'a', show: 'shapes', picked: ['99'] }, column('a'), { test: 'shape', value: '99' }],
    [{ name: 'a', show: 'shapes', picked: [''] }, column('a'), { test: 'missing' }],
  ] as const)('mean a filter: %j', (panel, of, filter) => {
    expect(chosenOf(panel as never, of)).toMatchObject({ on: 'column', ...filter })
  })
  it('join several shapes by or, and choose nothing when nothing is chosen', () => {
    expect(chosenOf({ name: 'a', show: 'shapes', picked: ['9', '99'] }, column('a'))?.on).toBe('any of')
    expect(chosenOf({ name: 'a' }, column('a'))).toBeUndefined()
  })
  it('are read from an address as far as they can be', () => {
    const known = (name: string) => name === 'a'
    expect(panelsOf('[{"name":"a"},{"name":"b"},7]', known)).toEqual([{ name: 'a' }])
    expect(panelsOf('{', known)).toEqual([])
    expect(showOf({ name: 'a', show: 'bars' }, column('a', { type: 'text' }))).toBe('values')
  })
})

describe('a pair of numbers', () => {
  it.each([
    [-0.9, -0.7, true],
    [0.2, -0.5, true],
    [-0.2, 0.5, false],
    [0.9, null, false],
    [null, -0.4, true],
    [null, null, false],
  ])('with r %s and ρ %s falls as the other rises: %s', (pearson, spearman, falls) => {
    expect(isFalling({ pearson, spearman } as Pair)).toBe(falls)
  })
  it.each([
    [0, '0.00'],
    [-0.456, '-0.46'],
    [-0.004, '0.00'],
    [null, '–'],
    [undefined, '–'],
  ])('has %s told as %s', (value, said) => {
    expect(two(value)).toBe(said)
  })
})
