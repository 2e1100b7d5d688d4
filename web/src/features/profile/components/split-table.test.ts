import type { Schemas } from '@/api/client'
import { answering, shown, type Asked } from '@/testing/page'
import { describe, expect, it, vi } from 'vitest'
import { bodyOf, fewer, splitRows, splitting } from '../logic/splitBy'
import SplitTable from './SplitTable.vue'

type Column = Schemas['ColumnProfile']
const column = (name: string, more: object = {}) =>
  ({
    name,
    type: 'text',
    role: 'category',
    distinct: 4,
    distribution: { of: 'values', bins: [] },
    dates: null,
    numbers: null,
    kinds: {},
    ...more,
  }) as unknown as Column
const depth = column('depth', { type: 'decimal', distinct: 300, numbers: {} })
const bar = (low: number, levels: number[]) => ({
  label: '', low: String(low), high: String(low + 1), every: 9, now: 3, levels,
}) // prettier-ignore
const value = (label: string, levels: number[]) => ({ label, low: '', high: '', every: 9, now: 3, levels })

describe('the columns that can split another', () => {
  it('are those with a few values, not itself', () => {
    const some = [column('weather', { distinct: 12 }), column('site', { distinct: 13 }), column('fixed', { distinct: 1 }), column('flag', { distinct: 2 })]
    expect(splitting(some, 'flag').map((item) => item.name)).toEqual(['weather'])
    expect(splitting(some, 'site').map((item) => item.name)).toEqual(['weather', 'flag'])
  }) // prettier-ignore
})

describe('the body of a column', () => {
  const bin = (low: string, high: string, outer = false) => ({ low, high, count: 1, outer })
  const with_ = (...bins: object[]) => column('a', { type: 'decimal', numbers: {}, distribution: { of: 'numbers', bins } })

  it.each([
    [with_(bin('-999', '-999', true), bin('1', '2'), bin('2', '3.5')), { low: '1', high: '3.5' }],
    [with_(bin('1', '2'), bin('2', '3'), bin('50', '90', true)), { low: '1', high: '3' }],
    [with_(bin('1', '2'), bin('2', '3')), { low: '', high: '' }],
    [with_(bin('1', '2', true)), { low: '', high: '' }],
    [column('a', { distribution: { of: 'values', bins: [bin('a', 'a'), bin('b', 'b', true)] } }), { low: '', high: '' }],
  ])('is asked for where some of it lies beyond', (of, ends) => {
    expect(bodyOf(of)).toEqual(ends)
  })
}) // prettier-ignore

describe('bars put together', () => {
  it.each([
    [3, 10, [[0, 1], [1, 2], [2, 3]]],
    [6, 3, [[0, 2], [2, 4], [4, 6]]],
    [7, 3, [[0, 3], [3, 6], [6, 7]]],
    [30, 10, Array.from({ length: 10 }, (_, i) => [3 * i, 3 * i + 3])],
    [0, 10, []],
  ] as [number, number, number[][]][])('%i bars in at most %i', (size, most, ends) => {
    const bars = Array.from({ length: size }, (_, at) => bar(at, [1, at]))
    const fewerBars = fewer(bars, most)
    expect(fewerBars.map((item) => [Number(item.low), Number(item.high)])).toEqual(ends)
    expect(fewerBars.reduce((n, item) => n + item.levels[1]!, 0)).toBe(bars.reduce((n, _, at) => n + at, 0))
    expect(fewerBars.reduce((n, item) => n + item.every, 0)).toBe(9 * size)
  }) // prettier-ignore
})

describe('rows of a split column', () => {
  it('have shares of each value that splits', () => {
    const panel = { name: 'depth', of: 'numbers', bars: [bar(0, [3, 0, 1]), bar(1, [1, 8, 1])], more: 0, aside: 0 }
    expect(splitRows(depth, panel, 3)).toMatchObject([
      {
        label: '0 to 1', cells: [{ count: 3, share: 0.75 }, { count: 0, share: 0 }, { count: 1, share: 0.5 }],
        filter: { on: 'column', name: 'depth', test: 'within', values: ['0', '1'] },
      },
      { label: '1 to 2', cells: [{ count: 1, share: 0.25 }, { count: 8, share: 1 }, { count: 1, share: 0.5 }] },
    ])
  }) // prettier-ignore
  it('of values open them, and what is missing', () => {
    const panel = { name: 'team', of: 'values', bars: [value('Fen', [2, 2]), value('', [0, 2])], more: 4, aside: 0 }
    const rows = splitRows(column('team'), panel, 2)
    expect(rows.map((row) => row.filter)).toEqual([
      { on: 'column', name: 'team', test: 'is', value: 'Fen' },
      { on: 'column', name: 'team', test: 'missing' },
    ])
    expect(rows[1]!.cells).toEqual([{ count: 0, share: 0 }, { count: 2, share: 0.5 }])
  }) // prettier-ignore
  it('of values are at most ten, and shares stay those of all that are listed', () => {
    const bars = Array.from({ length: 20 }, (_, at) => value(`v${at}`, [1]))
    const rows = splitRows(column('team'), { name: 'team', of: 'values', bars, more: 0, aside: 0 }, 1)
    expect(rows).toHaveLength(10)
    expect(rows[0]!.cells[0]!.share).toBe(0.05)
  })
  it('of a value that splits and has no cell here are no division by nothing', () => {
    const rows = splitRows(depth, { name: 'depth', of: 'numbers', bars: [bar(0, [0])], more: 0, aside: 0 }, 1)
    expect(rows[0]!.cells).toEqual([{ count: 0, share: 0 }])
  })
})

describe('the table of a split', () => {
  let noted: Asked[] = []
  const answer = {
    records: 20, fitting: 20, levels: ['fog', ''],
    panels: [{ name: 'depth', of: 'numbers', bars: [bar(0, [300, 1, 2]), bar(1, [1, 1, 0])], more: 0, aside: 2 }],
  } // prettier-ignore
  async function table(address = '/deliveries/3?by=weather', of = depth, found: object = answer) {
    noted = answering({ 'POST /api/deliveries/3/cross-filter': () => found })
    return shown(SplitTable, { id: 3, column: of, columns: [of, column('weather'), column('flag')] }, address)
  }
  const texts = (page: Awaited<ReturnType<typeof table>>, of: string) =>
    page.findAll(of).map((element) => element.text())

  it('asks for nothing until a column is chosen, which the address then carries', async () => {
    const page = await table('/deliveries/3')
    expect(page.find('table').exists()).toBe(false)
    expect(noted).toEqual([])
    await page.get('select').setValue('weather')
    await vi.waitFor(() => expect(page.find('table').exists()).toBe(true))
    expect(noted[0]!.body).toMatchObject({
      split: 'weather',
      panels: [{ name: 'depth', show: 'bars' }],
      where: [],
    })
  })
  it('shows counts, shares and all values, missing and the others too', async () => {
    const page = await table()
    await vi.waitFor(() => expect(page.find('table').exists()).toBe(true))
    expect(texts(page, 'th')).toEqual(['', 'fog', 'missing', 'other values'])
    expect(texts(page, 'tbody tr:first-child .share')).toEqual(['100 %', '50 %', '100 %'])
    expect(texts(page, 'tbody tr:last-child .share')).toEqual(['<1 %', '50 %', '0 %'])
    const doors = page.findAll('tbody a').map((element) => new URL(element.attributes('href')!, 'http://p').searchParams.get('where'))
    expect(doors).toHaveLength(4) // the other values have no door
    expect(page.text()).toContain('2 cells missing, beyond this range or in another form')
    expect(JSON.parse(doors[1]!)).toEqual([
      { on: 'column', name: 'depth', test: 'within', values: ['0', '1'] }, { on: 'column', name: 'weather', test: 'missing' },
    ])
  }) // prettier-ignore
  it('asks for the body where some of the column lies far beyond', async () => {
    const bins = [{ low: '-999', high: '-999', count: 3, outer: true }, { low: '5', high: '9', count: 57, outer: false }]
    await table(undefined, column('ph', { type: 'decimal', numbers: {}, distribution: { of: 'numbers', bins } }))
    expect(noted[0]!.body).toMatchObject({ panels: [{ name: 'ph', low: '5', high: '9' }] })
  }) // prettier-ignore
  it('is not there when no column has few values, and ignores one in the address that has many', async () => {
    answering({})
    const page = await shown(SplitTable, { id: 3, column: depth, columns: [depth] }, '/deliveries/3?by=depth')
    expect(page.find('select').exists()).toBe(false)
    const other = await table('/deliveries/3?by=gone')
    expect((other.get('select').element as HTMLSelectElement).value).toBe('')
  })
  it('says how many values are not listed', async () => {
    const bars = Array.from({ length: 12 }, (_, at) => value(`v${at}`, [1, 1]))
    const of = { ...answer, panels: [{ name: 'team', of: 'values', bars, more: 3, aside: 0 }] }
    const page = await table('/deliveries/3?by=weather', column('team'), of)
    await vi.waitFor(() => expect(page.text()).toContain('and 5 more values'))
  })
})
