import type { Schemas } from '@/api/client'
import { answering, shown } from '@/testing/page'
import { enableAutoUnmount, flushPromises } from '@vue/test-utils'
import { afterEach, describe, expect, it, vi } from 'vitest'
import ColumnSheet from './ColumnSheet.vue'

enableAutoUnmount(afterEach)
const bin = (low: string, high: string, count: number, outer = false) => ({ low, high, count, outer })
const statistics = {
  count: 60, minimum: -999, maximum: 9, mean: 1, median: 7, standard_deviation: 2, variance: 4, skewness: 0, kurtosis: 0,
  total: 420.5, quantiles: { '0.01': 1, '0.05': 2, '0.25': 5, '0.5': 7, '0.75': 8, '0.95': 9, '0.99': 9 },
  positive: 57, negative: 3, zero: 0, positive_total: 3417.5, negative_total: -2997, decimal_mark: '.',
} // prettier-ignore
const column = (more: Partial<Schemas['ColumnProfile']> = {}): Schemas['ColumnProfile'] => ({
  name: 'ph', position: 1, type: 'decimal', role: 'quantity', fits: 60, misfits: 0, misfit_examples: [], kinds: { decimal: 60 },
  missing: 0, distinct: 4, values: [{ value: '7.1', count: 40 }, { value: '-999', count: 3 }], shapes: [{ value: '9.9', count: 57 }],
  text: null, numbers: statistics, dates: null, by_size: null, meant: [],
  distribution: { of: 'numbers', bins: [bin('-999', '-999', 3, true), bin('5', '7', 17), bin('7', '9', 40)] }, ...more,
}) // prettier-ignore

async function sheet(
  of: Partial<Schemas['ColumnProfile']> = {},
  answers: Parameters<typeof answering>[0] = {},
) {
  answering({
    'GET /api/session': () => ({ username: 'marlo', name: 'I. Marlo', roles: ['analyst'] }),
    'GET /api/deliveries/3': () => ({ id: 3, state: 'read', feed: { slug: 'rooms', name: 'Rooms' } }),
    'GET /api/measures': () => ({}),
    'GET /api/feeds/rooms/columns': () => [],
    ...answers,
  }) // prettier-ignore
  const props = {
    column: column(of),
    columns: [],
    findings: [],
    methodOf: () => '',
    busy: false,
    error: null,
    records: 60,
    place: 1,
    of: 2,
  }
  const page = await shown(ColumnSheet, props, '/deliveries/3')
  await flushPromises()
  const hrefs = (selector: string) =>
    page.findAll(selector).map((element) => {
      const query = new URL(element.attributes('href') ?? '', 'http://pravin').searchParams
      return JSON.parse(query.get('where') ?? '[]') as { test?: string; values?: string[]; value?: string }[]
    })
  return { page, hrefs }
}

describe('the sheet of a column', () => {
  afterEach(() => vi.unstubAllGlobals())

  it('draws the body with what is far beside it, and each bar opens its records', async () => {
    const { page, hrefs } = await sheet()
    expect(hrefs('.plot a').map((door) => [door[0]?.test, door[0]?.values])).toEqual([
      ['between', ['-999', '-999']], ['within', ['5', '7']], ['between', ['7', '9']],
    ]) // prettier-ignore
    expect(page.findAll('.plot a').map((element) => element.attributes('title'))).toEqual([
      'below: -999: 3', '5 to 7: 17', '7 to 9: 40',
    ]) // prettier-ignore
    expect(page.get('.beyond').text()).toBe('3 below, from -999')
    expect(page.findAll('.ends span').map((element) => element.text())).toEqual(['5', '9'])
    expect(page.findAll('.scale span').map((element) => element.text())).toEqual(['10', '20', '30', '40'])
  })
  it('tells of a masked column how many values there are, and nothing that is made of them', async () => {
    const masked = { id: 3, state: 'read', masked: ['ph'], feed: { slug: 'rooms', name: 'Rooms' } }
    const { page } = await sheet({ values: [], shapes: [], numbers: null, distribution: { of: '', bins: [] } }, {
      'GET /api/deliveries/3': () => masked,
    }) // prettier-ignore
    expect(page.text()).toContain('may only be seen masked')
    expect(page.text()).toContain('distinct')
    expect(page.text()).not.toContain('more')
    expect(page.findAll('button').map((button) => button.text())).not.toContain('Shapes')
  })
  it('takes a range from the bars that are dragged over, in any direction', async () => {
    const { page } = await sheet()
    const bars = page.findAll('.plot a.bar:not(.outer)')
    const ends = () =>
      page.findAll<HTMLInputElement>('.range input').map((eachElement) => eachElement.element.value)
    await bars[1]!.trigger('pointerdown')
    await bars[0]!.trigger('pointerenter', { buttons: 1 })
    expect(page.findAll('.bar.chosen')).toHaveLength(2)
    await page.get('.plot').trigger('pointerup')
    expect(ends()).toEqual(['5', '9'])
    expect(page.findAll('.bar.chosen')).toHaveLength(0)
    await bars[0]!.trigger('pointerdown') // a click is no range
    await page.get('.plot').trigger('pointerup')
    expect(ends()).toEqual(['5', '9'])
    await page.setProps({ column: column({ name: 'depth' }) })
    expect(ends()).toEqual(['', ''])
  })
  it('leaves a range that is dragged out of the chart', async () => {
    const { page } = await sheet()
    const bars = page.findAll('.plot a.bar:not(.outer)')
    await bars[0]!.trigger('pointerdown')
    await bars[1]!.trigger('pointerenter', { buttons: 1 })
    await page.get('.plot').trigger('pointerleave')
    await page.get('.plot').trigger('pointerup')
    expect(page.get<HTMLInputElement>('#range-low').element.value).toBe('')
  })
  it('opens a range that is typed, and says what is wrong with one that cannot be', async () => {
    const { page } = await sheet()
    const router = page.getCurrentComponent().appContext.config.globalProperties.$router
    await page.get('#range-low').setValue('8')
    await page.get('#range-high').setValue('6.5')
    await page.get('.range').trigger('submit')
    expect(page.get('.range [role=alert]').text()).toBe('The range ends before it begins.')
    await page.get('#range-low').setValue('6')
    expect(page.find('.range [role=alert]').exists()).toBe(false)
    await page.get('.range').trigger('submit')
    await flushPromises()
    expect(JSON.parse(String(router.currentRoute.value.query.where))).toEqual([
      { on: 'column', name: 'ph', test: 'between', values: ['6', '6.5'] },
    ])
  })
  it('draws sizes in steps of equal ratio when that is asked for, and forgets it with the column', async () => {
    const by_size = { of: 'sizes', bins: [bin('1', '10', 7), bin('10', '100', 3)] }
    const { page } = await sheet({ by_size })
    await page
      .findAll('button')
      .find((element) => element.text() === 'by size')
      ?.trigger('click')
    expect(page.findAll('.plot a').map((element) => element.attributes('title'))).toEqual([
      '1 to 10: 7',
      '10 to 100: 3',
    ])
    await page.setProps({ column: column({ name: 'depth', by_size }) })
    expect(page.findAll('.plot a')).toHaveLength(3)
  })
  it('tells sums of both signs only where there are both', async () => {
    const { page } = await sheet()
    expect(page.text()).toContain('negative sum')
    const positive = await sheet({ numbers: { ...statistics, negative: 0 } })
    expect(positive.page.text()).not.toContain('negative sum')
  })
  it('shows shapes of a column in which all values are different, and values when asked', async () => {
    const values = [{ value: 'A-1', count: 1 }]
    const { page } = await sheet({ distinct: 60, values, shapes: [{ value: 'A-9', count: 60 }] })
    expect(page.get('.values').text()).toContain('A-9')
    await page
      .findAll('.faces button')
      .find((element) => element.text() === 'Values')
      ?.trigger('click')
    expect(page.get('.values').text()).toContain('A-1')
  })
  it('counts words when somebody looks, each a door to its cells; characters with their code points', async () => {
    const text = {
      shortest: 1,
      longest: 9,
      mean_length: 4,
      mean_words: 2,
      mean_letters: 3,
      outer_spaces: 0,
      invisible: 0,
    }
    const words = {
      words: [{ value: 'ducks', count: 12, pattern: '(?i)ducks' }], different_words: 31, characters: [{ value: 'é', count: 5 }], different_characters: 9,
    } // prettier-ignore
    const { page, hrefs } = await sheet(
      { text, type: 'text', numbers: null },
      { 'GET /api/deliveries/3/words': () => words },
    )
    await page
      .findAll('.faces button')
      .find((element) => element.text() === 'Words')
      ?.trigger('click')
    await vi.waitFor(() => expect(page.text()).toContain('31 different words'))
    const [door] = hrefs('.num a')
    expect(door?.[0]).toMatchObject({
      test: 'matches',
      value: '(?i)ducks',
    })
    await page
      .findAll('.faces button')
      .find((element) => element.text() === 'Characters')
      ?.trigger('click')
    expect(page.text()).toContain('U+00E9')
    expect(page.text()).toContain('9 different characters')
  })
  it('opens first, last and future dates and each part of their rhythm', async () => {
    const counts = (...values: string[]) => values.map((value) => ({ value, count: 2 }))
    const dates = {
      count: 60, first: '2024-03-01', last: '2024-04-30', formats: counts('%Y-%m-%d'), by_year: counts('2024'),
      by_month: counts('03', '04'), by_weekday: counts('1', '7'), by_hour: [], future: 4, now: '2024-04-01 08:00:00',
    } // prettier-ignore
    const { page, hrefs } = await sheet({ type: 'date', numbers: null, dates })
    expect(page.findAll('.rhythm dt').map((element) => element.text())).toEqual(['month', 'weekday'])
    expect(page.findAll('.parts a').map((element) => element.attributes('title'))).toEqual([
      'Mar: 2',
      'Apr: 2',
      'Mon: 2',
      'Sun: 2',
    ])
    expect(hrefs('.parts a').map((door) => door[1]?.value?.slice(0, 11))).toEqual([
      'month(to_mo', 'month(to_mo', 'weekday(to_', 'weekday(to_',
    ]) // prettier-ignore
    const door = hrefs('dd a').map((href) => href[0]?.values?.[0])
    expect(door).toContain('2024-03-01')
    expect(door).toContain('2024-04-01 08:00:00')
  })
})
