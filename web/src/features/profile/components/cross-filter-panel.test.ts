import { shown } from '@/testing/page'
import { describe, expect, it } from 'vitest'
import CrossFilterPanel from './CrossFilterPanel.vue'

const bar = (label: string, every: number, now: number, levels: number[] = []) => ({
  label,
  every,
  now,
  levels,
})
const COLUMN = { name: 'town', type: 'text' }
const FILLED = {
  of: 'values',
  bars: [bar('Merrow', 40, 10), bar('', 80, 0), bar('Ost', 20, 20)],
  more: 0,
  aside: 0,
}

async function panel(props: object = {}) {
  const page = await shown(CrossFilterPanel, {
    panel: { name: 'town' }, column: COLUMN, filled: FILLED, levels: 0, records: 100, others: [], ...props,
  }, '/deliveries/9') // prettier-ignore
  return {
    page,
    changes: () => page.findComponent(CrossFilterPanel).emitted('change') ?? [],
    filters: (at: number) => {
      const href = page.findAll('li a')[at]!.attributes('href')!
      return JSON.parse(new URL(href, 'http://here').searchParams.get('where')!) as unknown[]
    },
    width: (selector: string) => page.findAll(selector).map((element) => (element.element as HTMLElement).style.width),
  } // prettier-ignore
}

describe('a panel of the cross-filter', () => {
  it('draws all bars against the longest, wherever that stands', async () => {
    const { width } = await panel()
    expect(width('.every')).toEqual(['50%', '100%', '25%'])
    expect(width('.now')).toEqual(['12.5%', '0%', '25%'])
  })
  it('adds a value to those chosen, and takes it away again', async () => {
    const { page, changes } = await panel({ panel: { name: 'town', picked: ['Ost'] } })
    const [merrow, , ost] = page.findAll('li button')
    expect(ost!.attributes('aria-pressed')).toBe('true')
    await merrow!.trigger('click')
    await ost!.trigger('click')
    expect(changes()).toEqual([[{ picked: ['Ost', 'Merrow'] }], [{ picked: undefined }]])
  })
  it('opens the records of a value that fit the other panels', async () => {
    const other = { on: 'column', name: 'ph', test: 'above', value: '7' }
    const { filters } = await panel({ others: [other] })
    expect(filters(0)).toEqual([other, { on: 'column', name: 'town', test: 'is', value: 'Merrow' }])
    expect(filters(1)).toMatchObject([other, { on: 'column', name: 'town', test: 'missing' }])
  })
  it('opens those of a shape by the shape', async () => {
    const { filters } = await panel({ filled: { ...FILLED, of: 'shapes' } })
    expect(filters(0)).toEqual([{ on: 'column', name: 'town', test: 'shape', value: 'Merrow' }])
  })
  it('forgets what was chosen when it shows something else', async () => {
    const { page, changes } = await panel()
    await page.findAll('.faces button').find((each) => each.text() === 'shapes')!.trigger('click')
    expect(changes()).toEqual([[{ show: 'shapes', range: undefined, picked: undefined }]])
  }) // prettier-ignore
  it('divides what fits among the values of the column that splits', async () => {
    const { page } = await panel({ levels: 2, filled: { ...FILLED, bars: [bar('Ost', 20, 20, [5, 15])] } })
    expect(page.findAll('.levels u').map((each) => (each.element as HTMLElement).style.flexGrow)).toEqual(['5', '15']) // prettier-ignore
    expect(page.find('.now').exists()).toBe(false)
  })
  it('says what it does not show', async () => {
    const { page } = await panel({ filled: { ...FILLED, more: 1200 } })
    expect(page.get('.foot').text()).toBe('1,200 more values; use Find to see them')
  })
})
