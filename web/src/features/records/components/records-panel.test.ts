import type { Schemas } from '@/api/client'
import { answering, shown, type Asked } from '@/testing/page'
import { flushPromises } from '@vue/test-utils'
import { afterEach, describe, expect, it, vi } from 'vitest'
import { ref } from 'vue'
import RecordsPanel from './RecordsPanel.vue'

// the page of the tests has no sizes
vi.mock('@vueuse/core', async (actual) => ({
  ...(await actual<object>()),
  useElementSize: () => ({ width: ref(1200), height: ref(400) }),
}))

const run = (id: number, revision: number) => ({ id, revision, purpose: 'run', state: 'done' })
const delivery = {
  id: 9, records: 40, state: 'read', revision: 3, feed: { slug: 'rooms', name: 'Rooms' }, run: run(31, 2), trial: run(32, 3),
} as unknown as Schemas['WorkspaceOut'] // prettier-ignore
const PAGE: Schemas['RecordsOut'] = {
  total: 2, files: ['a.csv'], columns: [{ name: 'price', type: 'text' }, { name: 'house', type: 'text' }],
  rows: [1, 2].map((record) => ({ record, file: 0, line: record + 1, state: '', reasons: null, cells: ['7', 'A'], originals: null })),
} // prettier-ignore
const TESTS: Schemas['TestOut'][] = [
  { test: 'is', takes: 'text', about: 'The cell is a text.' },
  { test: 'above', takes: 'number or date', about: 'The cell is above.' },
  { test: 'missing', takes: 'nothing', about: 'The cell is missing.' },
]
const where = (filters: unknown[]) =>
  `/deliveries/9?records=delivered&where=${encodeURIComponent(JSON.stringify(filters))}`
const HOUSE = { on: 'column', name: 'house', value: 'A' }

async function panel(
  path = where([HOUSE]),
  page: unknown = PAGE,
  more: Parameters<typeof answering>[0] = {},
) {
  const queries: URLSearchParams[] = []
  const noted = answering({
    'GET /api/session': () => ({ username: 'marlo', name: 'I. Marlo', roles: ['analyst'] }),
    'GET /api/feeds/rooms/filters': () => [],
    'GET /api/filter-tests': () => TESTS,
    'GET /api/deliveries/9/records': () => page,
    ...more,
  }) // prettier-ignore
  const fetched = globalThis.fetch
  vi.stubGlobal('fetch', (request: Request) => {
    if (request.url.includes('/records')) queries.push(new URL(request.url, 'http://pravin').searchParams)
    return fetched(request)
  })
  const shownPanel = await shown(RecordsPanel, { delivery }, path)
  await flushPromises()
  await vi.waitFor(() => expect(noted.some((asked: Asked) => asked.path.endsWith('/records'))).toBe(true))
  await flushPromises()
  const router = shownPanel.vm.$router
  const filters = () => JSON.parse(String(router.currentRoute.value.query.where ?? '[]')) as unknown[]
  const button = (name: string) => shownPanel.findAll('button').find((element) => element.text() === name)
  return { page: shownPanel, queries, filters, button, router }
}

describe('the records behind a count', () => {
  afterEach(() => vi.unstubAllGlobals())
  it('can be downloaded as they are shown: the same state, filters and order', async () => {
    const { page, queries } = await panel(where([HOUSE]).replace('delivered', '31'))
    const links = page.findAll('a[download]')
    expect(links.map((link) => link.text())).toEqual(['CSV', 'JSON', 'Parquet'])
    const [path, query] = links[2]!.attributes('href')!.split('?')
    expect(path).toBe('/api/deliveries/9/records/file')
    const asked = new URLSearchParams(query)
    expect([asked.get('form'), asked.get('run'), asked.get('direction')]).toEqual(['parquet', '31', 'up'])
    expect(asked.get('where')).toBe(queries.at(-1)!.get('where'))
  })
  it('offers no file of nothing', async () => {
    const { page } = await panel(where([HOUSE]), { ...PAGE, total: 0, rows: [] })
    expect(page.findAll('a[download]')).toHaveLength(0)
  })

  it('are counted, with the filter in words and asked of the API', async () => {
    const { page, queries } = await panel()
    expect(page.get('.total').text()).toBe('2 records')
    expect(page.get('.phrase').text()).toContain('house is “A”')
    expect(JSON.parse(queries[0]?.get('where') ?? '')).toEqual([HOUSE])
  })
  it('a filter is added by column and test, the value as the test takes it', async () => {
    const { page, filters, button } = await panel()
    await button('Add filter')?.trigger('click')
    await page.get('#filter-column').setValue('price')
    const tests = page
      .findAll('#filter-test option')
      .map((element) => [element.text(), element.attributes('title')])
    expect(tests).toEqual(TESTS.map((eachTest) => [eachTest.test, eachTest.about]))
    await page.get('#filter-test').setValue('above')
    expect(page.get('#filter-value').attributes('placeholder')).toBe('such as 7.4 or 2024-03-17')
    await page.get('#filter-value').setValue('90')
    await page.get('form').trigger('submit')
    await flushPromises()
    expect(filters()).toEqual([HOUSE, { on: 'column', name: 'price', test: 'above', value: '90' }])
  })
  it('a test that takes no value asks for none, and sends none that was typed before', async () => {
    const { page, filters, button } = await panel()
    await button('Add filter')?.trigger('click')
    await page.get('#filter-column').setValue('price')
    await page.get('#filter-value').setValue('left over')
    await page.get('#filter-test').setValue('missing')
    expect(page.find('#filter-value').exists()).toBe(false)
    await page.get('#filter-how').setValue('or')
    await page.get('form').trigger('submit')
    await flushPromises()
    expect(filters()).toEqual([
      { on: 'any of', of: [HOUSE, { on: 'column', name: 'price', test: 'missing' }] },
    ])
  })
  it('of any column, what it contains is asked', async () => {
    const { page, filters, button } = await panel(where([]))
    await button('Add filter')?.trigger('click')
    await page.get('#filter-value').setValue('weir')
    await page.get('form').trigger('submit')
    await flushPromises()
    expect(filters()).toEqual([{ on: 'text', value: 'weir' }])
  })
  it('a filter is removed by its own button', async () => {
    const { page, filters } = await panel(where([HOUSE, { on: 'any missing' }]))
    expect(page.findAll('.phrase').map((element) => element.text().replace('×', '').trim())).toEqual([
      'house is “A”',
      'any column is missing',
    ])
    await page.get('[aria-label="remove the filter house is “A”"]').trigger('click')
    await flushPromises()
    expect(filters()).toEqual([{ on: 'any missing' }])
  })
  it('as delivered there is nothing to ask of a run: such filters are left behind', async () => {
    const { page, filters, router } = await panel(
      `/deliveries/9?records=31&where=${encodeURIComponent(JSON.stringify([{ on: 'state', value: 'ready' }, HOUSE]))}`,
    )
    expect(page.findAll('#records-stage option').map((element) => element.text())).toEqual([
      'as delivered', 'after the run of revision 2', 'after the trial of revision 3',
    ]) // prettier-ignore
    await page.get('#records-stage').setValue('delivered')
    await flushPromises()
    expect(router.currentRoute.value.query.records).toBe('delivered')
    expect(filters()).toEqual([HOUSE])
  })
  it('are those of the table as rules left it, when the address says so', async () => {
    const { queries, page, router } = await panel('/deliveries/9?after=trim-1&records=left', PAGE, {
      'GET /api/feeds/rooms/rulebook': () => ({
        rules: [{ number: 5, rule: { id: 'trim-1' }, sentence: [{ text: 'Trim.' }] }],
      }),
      'POST /api/deliveries/9/tables-after': () => ({ id: 77, job: null }),
      'GET /api/deliveries/9/tables-after/77': () => ({ id: 77, place: 5 }),
    })
    expect(queries[0]?.get('table')).toBe('77')
    expect(queries[0]?.get('run')).toBeNull()
    expect(page.findAll('#records-stage option').map((element) => element.text())).toContain(
      'as the rules up to rule 5 leave them',
    )
    await page.get('#records-stage').setValue('delivered')
    await flushPromises()
    expect(router.currentRoute.value.query).toMatchObject({ records: 'delivered', after: 'trim-1' })
    await vi.waitFor(() => expect(queries.at(-1)?.get('table')).toBeNull())
  })
  it('says so when no record fits', async () => {
    const { page } = await panel(where([HOUSE]), { ...PAGE, total: 0, rows: [] })
    expect(page.text()).toContain('No record fits. 40 were delivered; remove a filter.')
    expect(page.find('[role=grid]').exists()).toBe(false)
  })
  it('closes and leaves the address as it was before', async () => {
    const { router, button } = await panel()
    await button('Close')?.trigger('click')
    await flushPromises()
    expect(router.currentRoute.value.query).toEqual({})
  })
})
