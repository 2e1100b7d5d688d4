import type { Schemas } from '@/api/client'
import { describe, expect, it } from 'vitest'
import {
  doorOf,
  futureDoor,
  momentDoor,
  momentOf,
  partDoor,
  rangeDoor,
  rangeProblem,
  short,
  tickOf,
} from './bars'

const column = (more: object = {}) =>
  ({ name: 'a "b"', kinds: {}, dates: null, numbers: null, ...more }) as unknown as Schemas['ColumnProfile']
const dated = (...formats: string[]) =>
  column({ dates: { formats: formats.map((value) => ({ value, count: 1 })), now: '2024-06-01 10:00:00' } })
const bar = (outer = false) => ({ low: '1.5', high: '2', count: 4, outer })
const on = { on: 'column', name: 'a "b"' }

describe('the door of a bar', () => {
  it('leaves the upper end to the next bar, but for the last one and those beyond', () => {
    expect(doorOf(column(), bar(), 'numbers', false)).toEqual([
      { ...on, test: 'within', values: ['1.5', '2'] },
    ])
    expect(doorOf(column(), bar(), 'numbers', true)).toEqual([
      { ...on, test: 'between', values: ['1.5', '2'] },
    ])
    expect(doorOf(column(), bar(true), 'sizes', false)).toEqual([
      { ...on, test: 'between', values: ['1.5', '2'] },
    ])
  })
  it('keeps out cells that read as another number than the column takes them for', () => {
    const mixed = column({ numbers: { decimal_mark: '.' }, kinds: { 'decimal comma': 3 } })
    expect(doorOf(mixed, bar(), 'numbers', false)[1]).toEqual({
      on: 'none of', of: [{ ...on, test: 'reads as', value: 'decimal comma' }],
    }) // prettier-ignore
    const commas = column({ numbers: { decimal_mark: ',' }, kinds: { 'decimal comma': 3 } })
    expect(doorOf(commas, bar(), 'numbers', false)).toHaveLength(1)
  })
  it('of dates takes whole days, in all forms of the column', () => {
    const days = { low: '2024-03-01', high: '2024-03-07', count: 2, outer: false }
    expect(doorOf(dated('%Y-%m-%d', '%d.%m.%Y'), days, 'dates', false)).toEqual([
      {
        ...on,
        test: 'dated',
        value: '%Y-%m-%d|%d.%m.%Y',
        values: ['2024-03-01', '2024-03-07 23:59:59.999999'],
      },
    ])
  })
})

describe('the door of a date', () => {
  it('of one day has all its hours, of a moment only this', () => {
    expect(momentDoor(dated('%Y-%m-%d'), '2024-03-01')[0]?.values).toEqual([
      '2024-03-01',
      '2024-03-01 23:59:59.999999',
    ])
    expect(momentDoor(dated('%Y-%m-%d'), '2024-03-01 09:40:00')[0]?.values).toEqual([
      '2024-03-01 09:40:00', '2024-03-01 09:40:00',
    ]) // prettier-ignore
  })
  it('in the future begins when the delivery was received', () => {
    expect(futureDoor(dated('%Y-%m-%d'))[0]?.values?.[0]).toBe('2024-06-01 10:00:00')
  })
  it('of a part of a rhythm is a formula, whatever the name of the column and its forms', () => {
    expect(momentOf(dated('%d.%m.%Y'))).toBe(`to_moment("a ""b""", '%d.%m.%Y')`)
    expect(momentOf(dated('%d.%m.%Y', '%Y-%m-%d %H:%M'))).toBe(
      `coalesce(to_moment("a ""b""", '%d.%m.%Y'), to_moment("a ""b""", '%Y-%m-%d %H:%M'))`,
    )
    expect(partDoor(dated('%d.%m.%Y'), 'month', '03')[1]).toEqual({
      on: 'formula', value: `month(to_moment("a ""b""", '%d.%m.%Y')) = 3`,
    }) // prettier-ignore
  })
})

describe('an axis', () => {
  it('writes numbers as short as they can be told apart', () => {
    expect(['0.123456789', '1e-7', '1234567', '7', 'Merrow', ''].map(short)).toEqual([
      '0.1235',
      '1e-7',
      '1235000',
      '7',
      'Merrow',
      '',
    ])
  })
  it.each([
    [1, 1],
    [3, 1],
    [7, 2],
    [12, 5],
    [40, 10],
    [41, 20],
    [333, 100],
    [1080, 500],
    [99_000, 50_000],
  ])('up to %d has marks at every %d', (most, step) => {
    expect(tickOf(most)).toBe(step)
    expect(most / step).toBeLessThanOrEqual(4)
  })
})

describe('a range', () => {
  it.each([
    ['numbers', '1', '2', ''],
    ['numbers', ' -1e3 ', '-1000', ''],
    ['sizes', '0.5', '0.25', 'The range ends before it begins.'],
    ['numbers', '1', '', 'A range needs both ends.'],
    ['numbers', '  ', '2', 'A range needs both ends.'],
    ['numbers', '1,5', '2', '“1,5” is not a number such as 7.4.'],
    ['numbers', '1', 'Infinity', '“Infinity” is not a number such as 7.4.'],
    ['dates', '2024-03-01', '2024-03-01', ''],
    ['dates', '2024-03-01 08:30', '2024-03-02', ''],
    ['dates', '2024-03-02', '2024-03-01', 'The range ends before it begins.'],
    ['dates', '1.3.2024', '2024-03-01', '“1.3.2024” is not a day such as 2024-03-17.'],
    ['dates', '2024-13-01', '2024-13-02', '“2024-13-01” is not a day such as 2024-03-17.'],
  ])('of %s from “%s” to “%s”: “%s”', (of, low, high, problem) => {
    expect(rangeProblem(of, low, high)).toBe(problem)
  })
  it('includes both ends', () => {
    expect(rangeDoor(column(), 'numbers', ' 1', '2 ')).toEqual([
      { ...on, test: 'between', values: ['1', '2'] },
    ])
    expect(rangeDoor(dated('%d.%m.%Y'), 'dates', '2024-03-01', '2024-03-02')).toEqual([
      { ...on, test: 'dated', value: '%d.%m.%Y', values: ['2024-03-01', '2024-03-02 23:59:59.999999'] },
    ])
    expect(rangeDoor(dated('%d.%m.%Y'), 'dates', '2024-03-01', '2024-03-02 10:00')[0]).toMatchObject({
      values: ['2024-03-01', '2024-03-02 10:00'],
    })
  })
})
