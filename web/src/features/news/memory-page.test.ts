import { answering, shown } from '@/testing/page'
import { flushPromises } from '@vue/test-utils'
import { afterEach, describe, expect, it, vi } from 'vitest'
import { smallLine } from './logic/measure'
import MemoryPage from './pages/MemoryPage.vue'

describe('a small line', () => {
  it('goes through the values, broken where there is none', () => {
    const { line, dots } = smallLine([1, 3, null, 2], 300, 20)
    expect(line).toBe('M0 20L100 0M300 10')
    expect(dots[2]).toBeNull()
  })
  it('is level where nothing changes', () => {
    expect(smallLine([5, 5], 300, 20).line).toBe('M0 10L300 10')
    expect(smallLine([5], 300, 20).line).toBe('M0 10')
    expect(smallLine([null], 300, 20).line).toBe('')
  })
})

describe('the memory of a feed', () => {
  afterEach(() => {
    vi.unstubAllGlobals()
    document.body.innerHTML = ''
  })
  const delivery = (number: number, revision: number | null) => ({
    id: 40 + number, number, received: `2026-0${number}-02T06:00:00Z`, revision, released: true,
  }) // prettier-ignore
  const memory = (more: object = {}) => ({
    measures: ['missing', 'broken'], measure: 'missing', scale: 'share',
    deliveries: [delivery(1, 1), delivery(2, 1), delivery(3, 2)],
    series: [
      { id: 'a', name: 'ph', rule: '', values: [0.01, 0.02, 0.2], new: [false, false, true] },
      { id: 'b', name: 'site', rule: '', values: [0, null, 0], new: [false, false, false] },
    ],
    ...more,
  }) // prettier-ignore
  const point = {
    number: 3,
    received: '2026-03-02T06:00:00Z',
    value: 0.2,
    low: 0,
    high: 0.05,
    outside: true,
    expected: false,
  }
  async function page(told: object) {
    const asked = answering({
      'GET /api/feeds/water': () => ({ name: 'Water' }),
      'GET /api/jobs': () => ({ newest: 1, jobs: [] }),
      'GET /api/feeds/water/memory': () => told,
      'GET /api/deliveries/43/news/a/measure': () => ({
        column: 'ph',
        measure: 'missing',
        scale: 'share',
        points: [point],
      }),
      'GET /api/deliveries/43/news/b/measure': () => ({
        column: 'site',
        measure: 'missing',
        scale: 'share',
        points: [point],
      }),
    })
    const view = await shown(MemoryPage, {}, '/feeds/water/memory')
    await flushPromises()
    return { view, asked }
  }
  it('shows a line for each column, the one before and the newest value, and how often it was new', async () => {
    const { view } = await page(memory())
    const rows = view.findAll('tbody tr').map((row) => row.findAll('td').map((cell) => cell.text()))
    expect(rows).toEqual([
      ['ph', '', '2 %', '20 %', '1'],
      ['site', '', '–', '0 %', ''],
    ])
  })
  it('tells of the chosen column what happened, with its limits', async () => {
    const { view } = await page(memory())
    expect(view.find('aside figcaption').text()).toContain('usually 0 % to 5 %')
    expect(view.find('aside').text()).toContain('delivery 3 2026-03-02 new: 20 %, revision 2')
    window.dispatchEvent(new KeyboardEvent('keydown', { key: 'j', bubbles: true }))
    await flushPromises()
    expect(view.find('aside h2').text()).toBe('site')
    expect(view.find('aside').text()).toContain('delivery 3 2026-03-02 revision 2')
  })
  it('asks for another measure', async () => {
    const { view, asked } = await page(memory())
    await view.find('#memory-measure').setValue('broken')
    await flushPromises()
    const measures = asked
      .filter((each) => each.path.endsWith('/memory'))
      .map((each) => each.query.get('measure'))
    expect(measures).toEqual(['missing', 'broken'])
  })
  it('opens any two deliveries in Compare, at first the newest two', async () => {
    const { view } = await page(memory())
    const door = () => view.findAll('aside a').find((link) => link.text() === 'Compare')
    expect(door()!.attributes('href')).toBe('/deliveries/43/profile?view=compare&beside=42')
    await view.find('[aria-label="The other delivery"]').setValue('41')
    await flushPromises()
    expect(door()!.attributes('href')).toBe('/deliveries/43/profile?view=compare&beside=41')
    await view.find('[aria-label="One delivery"]').setValue('41')
    expect(door()).toBeUndefined()
    expect(view.find('aside').text()).toContain('are the same')
  })
  it('says when there is nothing to show', async () => {
    expect((await page(memory({ deliveries: [], series: [], measures: [] }))).view.text()).toContain(
      'Nothing is remembered yet',
    )
    expect((await page(memory({ series: [] }))).view.text()).toContain('no such measure')
  })
})
