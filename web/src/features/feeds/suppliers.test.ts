import { answering, shown } from '@/testing/page'
import { flushPromises } from '@vue/test-utils'
import { afterEach, describe, expect, it, vi } from 'vitest'
import { daysOf, fitting, summed, type Supplier } from './logic/suppliers'
import SuppliersPage from './pages/SuppliersPage.vue'

const feed = (slug: string, more: object = {}, balance: object = {}): Supplier['feeds'][number] => ({
  slug, name: `The ${slug}`, owner: 'M. Arlo', deliveries: 0, newest: null, late: 0, missing: 0, again: 0, failed: 0, incomplete: 0, repeated: 0,
  changes: 0, returned: 0, answered: 0, questions: 0, ...more,
  balance: { delivered: 0, added: 0, ready: 0, corrected: 0, quarantined: 0, removed: 0, rejected: 0, ...balance },
}) // prettier-ignore
const AGENCY: Supplier = {
  name: 'Agency',
  feeds: [
    feed('soil', { deliveries: 2, late: 1 }, { delivered: 300, quarantined: 3, rejected: 1 }),
    feed(
      'water',
      { deliveries: 3, returned: 7, newest: '2026-02-10T06:00:00Z' },
      { delivered: 700, quarantined: 2 },
    ),
  ],
}
const OFFICE: Supplier = { name: 'Office', feeds: [feed('air')] }

it('numbers of feeds are summed', () => {
  expect(summed(AGENCY.feeds)).toEqual({
    deliveries: 5, late: 1, missing: 0, returned: 7, answered: 0, delivered: 1000, rejected: 1, quarantined: 5,
  }) // prettier-ignore
})

it.each([
  ['', 2],
  [' agency', 1],
  ['soil  AGENCY', 1],
  ['WATER', 1],
  ['zebra', 0],
])('“%s” fits %i suppliers', (search, many) => expect(fitting([AGENCY, OFFICE], search)).toHaveLength(many))

it.each([
  ['92', 92],
  ['5', 365],
  ['toString', 365],
  [undefined, 365],
])('%s asks for %i days', (text, days) => expect(daysOf(text)).toBe(days))

describe('the page of suppliers', () => {
  afterEach(() => {
    vi.unstubAllGlobals()
    document.body.innerHTML = ''
  })
  async function page(suppliers: Supplier[], address = '/') {
    const asked = answering({
      'GET /api/session': () => ({ username: 'x', name: 'X', roles: ['viewer'] }),
      'GET /api/suppliers': () => suppliers,
    })
    const view = await shown(SuppliersPage, {}, address)
    await flushPromises()
    return { view, asked }
  }
  it('says what each brought, and of the chosen one each feed with what went wrong', async () => {
    const { view } = await page([AGENCY, OFFICE])
    const [agency] = view.findAll('.register tbody tr')
    expect(agency!.findAll('td').map((cell) => cell.text())).toEqual([
      'Agency', '2', '5', '1', '0', '1,000', '1', '0.5 %', '7', '0',
    ]) // prettier-ignore
    expect(view.findAll('aside h3').map((each) => each.text())).toEqual([
      'The soil M. Arlo',
      'The water M. Arlo',
    ])
    expect(view.findAll('aside tr').map((each) => each.text())).toEqual(['came late1', 'records returned7'])
    expect(view.find('aside').text()).toContain('3 deliveries of 700 records, the newest on 2026-02-10')
    expect(view.find('aside a.door').attributes('href')).toBe('/api/feeds/soil/supplier.html?days=365')
    window.dispatchEvent(new KeyboardEvent('keydown', { key: 'j', bubbles: true }))
    await flushPromises()
    expect(view.find('aside h2').text()).toBe('Office')
    expect(view.findAll('aside tr')).toHaveLength(0)
  })
  it('asks for the time that is looked at', async () => {
    const { view, asked } = await page([AGENCY], '/?days=31')
    await view.find('#suppliers-days').setValue('731')
    await flushPromises()
    const days = asked.filter((each) => each.path === '/api/suppliers').map((each) => each.query.get('days'))
    expect(days).toEqual(['31', '731'])
    const none = await page([AGENCY], '/?days=5') // no such period
    expect(none.asked.find((each) => each.path === '/api/suppliers')?.query.get('days')).toBe('365')
  })
  it('says where none is named', async () => {
    expect((await page([])).view.text()).toContain('No feed names its supplier')
  })
})
