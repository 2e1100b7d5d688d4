import { describe, expect, it } from 'vitest'
import { asDates, asNumbers, asText, countsOf, missingIn, partName, rhythmsOf } from './measures'

type Column = Parameters<typeof countsOf>[0]
const column = (more: object) =>
  ({
    name: 'flow',
    type: 'decimal',
    missing: 3,
    kinds: {},
    misfits: 0,
    distinct: 1234,
    ...more,
  }) as unknown as Column
const line = (measures: { label: string }[], label: string) => measures.find((each) => each.label === label) // prettier-ignore

describe('how many cells are what', () => {
  it('lists only the kinds there are, each with the filter that opens its records', () => {
    const counts = countsOf(column({ kinds: { 'missing token': 2, decimal: 1000, date: 0 } }), 1500, false)
    expect(counts.map(({ label, value }) => `${label} ${value}`)).toEqual([
      'records 1,500',
      'missing 3',
      'like “n/a” 2',
      'as decimal 1,000',
      'distinct 1,234',
    ])
    expect(line(counts, 'as decimal')).toMatchObject({
      filters: [{ on: 'column', name: 'flow', test: 'reads as', value: 'decimal' }],
    })
    expect(line(counts, 'records')).toMatchObject({ filters: [] })
    expect(line(counts, 'distinct')).not.toHaveProperty('filters')
  })
  it('lacks what is missing and what stands for missing', () => {
    expect(missingIn(column({ kinds: { 'missing token': 4 } }))).toBe(7)
    expect(missingIn(column({}))).toBe(3)
  })
  it('tells how many do not fit, where some do not', () => {
    expect(line(countsOf(column({ misfits: 7 }), 10, false), 'do not fit')).toMatchObject({ value: '7' })
    expect(line(countsOf(column({}), 10, false), 'do not fit')).toBeUndefined()
  })
  it('opens no records by a value that may only be seen masked', () => {
    const counts = countsOf(column({ kinds: { text: 4 }, misfits: 1 }), 10, true)
    expect(counts.filter((each) => 'filters' in each).map(({ label }) => label)).toEqual(['records'])
  })
})

describe('statistics', () => {
  const numbers = {
    minimum: '0.10', maximum: '12345678901234567890.5', total: '1', positive_total: '5', negative_total: '-4', mean: 1.5, median: 1,
    standard_deviation: 2, variance: 4, skewness: null, kurtosis: null, quantiles: { '0.01': 0.1 }, zero: 0, positive: 5, negative: 4,
  } // prettier-ignore
  it('of numbers keep every digit of what is exact, and tell sums by sign where both signs are', () => {
    const all = asNumbers(column({ numbers }))
    expect(line(all, 'maximum')).toMatchObject({ value: '12,345,678,901,234,567,890.5' })
    expect(line(all, 'negative')).toMatchObject({ filters: [{ name: 'flow', test: 'below', value: '0' }] })
    expect(line(all, 'zero')).toMatchObject({ filters: [{ test: 'between', values: ['0', '0'] }] })
    expect(line(all, 'negative sum')).toMatchObject({ value: '-4' })
    expect(line(asNumbers(column({ numbers: { ...numbers, negative: 0 } })), 'negative sum')).toBeUndefined()
  })
  it('of dates tell of the future only where something lies in it', () => {
    const dates = { first: '2024-01-01', last: '2030-01-01', future: 0, formats: [{ value: '%Y-%m-%d', count: 1 }] }
    expect(asDates(column({ type: 'date', dates })).map(({ label }) => label)).toEqual(['first', 'last'])
    expect(asDates(column({ type: 'date', dates: { ...dates, future: 2 } })).at(-1)).toMatchObject({
      label: 'in the future', value: '2',
    })
  }) // prettier-ignore
  it('are none where nothing reads so', () => {
    const none = column({ numbers: null, dates: null, text: null })
    expect([...asNumbers(none), ...asDates(none), ...asText(none), ...rhythmsOf(none)]).toEqual([])
  })
  it('of text open what cannot be seen', () => {
    const text = { shortest: 1, longest: 9, mean_length: 3, mean_words: 1, mean_letters: 2, outer_spaces: 4, invisible: 5 } // prettier-ignore
    const all = asText(column({ text }))
    expect(line(all, 'outer spaces')).toMatchObject({ value: '4', filters: [{ test: 'outer spaces' }] })
    expect(line(all, 'invisible marks')).toMatchObject({ value: '5', filters: [{ test: 'invisible marks' }] })
  })
})

describe('the rhythm of dates', () => {
  const parts = (...values: string[]) => values.map((value) => ({ value, count: 1 }))
  it('leaves out what is the same for all', () => {
    const dates = {
      by_year: parts('2024'),
      by_month: parts('1', '2'),
      by_weekday: [],
      by_hour: parts('0', '7'),
    }
    expect(rhythmsOf(column({ dates })).map(([part]) => part)).toEqual(['month', 'hour'])
  })
  it.each([
    ['weekday', '1', 'Mon'],
    ['weekday', '7', 'Sun'],
    ['month', '1', 'Jan'],
    ['month', '12', 'Dec'],
    ['hour', '7', '7'],
    ['year', '2024', '2024'],
  ] as const)('names %s %s %s', (part, value, name) => {
    expect(partName(part, value)).toBe(name)
  })
})
