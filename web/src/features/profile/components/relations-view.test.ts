import type { Schemas } from '@/api/client'
import { answering, shown, type Asked } from '@/testing/page'
import { flushPromises } from '@vue/test-utils'
import { describe, expect, it, vi } from 'vitest'
import RelationsView from './RelationsView.vue'

const NAMES = ['depth', 'pressure', 'weather', 'id', 'a column with a name of more than 22 letters']
const profile = {
  records: 900,
  columns: NAMES.map((name) => ({ name, type: 'decimal', role: 'quantity', distinct: 9, kinds: {}, meant: [] })),
} as unknown as Schemas['Profile'] // prettier-ignore
const pair = (left: number, right: number, strength: number, more: object = {}) => ({
  left, right, strength, pearson: null, spearman: null, right_by_left: null, left_by_right: null, ...more,
}) // prettier-ignore
const relations = {
  columns: NAMES.map((name) => ({ name, scale: 'number', why_not: name === 'id' ? 'nearly all values are distinct' : '' })),
  pairs: [
    pair(0, 1, 0.9, { pearson: -0.9, spearman: -0.7 }), pair(0, 2, 0.3, { right_by_left: 0.8, left_by_right: 0.2 }), pair(1, 4, 0.04),
  ],
  missing: [pair(2, 4, 0.6)],
  foretold: [{ name: 'depth', association: 0.9, skill: 0.4, missing: null }, { name: 'pressure', association: 0.1, skill: 0.75, missing: null }],
  records: 900, compared: 300, left_out: 0,
} // prettier-ignore
const settled = {
  target: '', limits: { missing: 0.6, repeats: 0.98, leaks: 0.98 }, roles: {}, excluded: [], by: '', at: null,
} // prettier-ignore

let noted: Asked[] = []
async function view(address = '/deliveries/3/profile', found: object = relations, kept: object = settled) {
  noted = answering({
    'GET /api/deliveries/3/suitability': () => kept,
    'POST /api/deliveries/3/relations': () => ({ id: 5, job: null }),
    'GET /api/relations/5': () => found,
  })
  const page = await shown(RelationsView, { id: 3, profile }, address)
  await vi.waitFor(() => expect(page.find('.key').exists()).toBe(true))
  await flushPromises()
  return page
}
type Page = Awaited<ReturnType<typeof view>>
const words = (page: Page, of: string) =>
  page.findAll(of).map((element) => element.text().replace(/\s+/g, ' '))
const asked = () => noted.filter((request) => request.method === 'POST').map((request) => request.body)
const address = (page: Page) =>
  page.getCurrentComponent().appContext.config.globalProperties.$router.currentRoute.value

describe('relations between columns', () => {
  it('draw a square for each strong pair, twice, hollow where one falls as the other rises', async () => {
    const page = await view()
    expect(page.findAll('svg rect:not(.band)')).toHaveLength(4) // the weakest pair has none
    expect(page.findAll('svg rect.hollow')).toHaveLength(2)
    expect(words(page, 'svg text')).toContain('a column with a name …')
    expect(page.get('.out').text()).toBe('Not compared: id (nearly all values are distinct)')
  })
  it('list the partners of the chosen column, strongest first, with both directions where they differ', async () => {
    const page = await view('/deliveries/3/profile?column=depth')
    expect(words(page, 'aside tbody .name')).toEqual(['pressure', 'weather'])
    expect(words(page, 'aside tbody tr:first-child .num')).toEqual(['0.90', '-0.90', '-0.70'])
    expect(words(page, 'aside tbody tr:last-child .num')).toEqual(['0.30', '–', '–'])
    expect(words(page, '.track small')).toEqual(['0.80 / 0.20'])
  })
  it('say both directions from the side of the chosen column', async () => {
    const page = await view('/deliveries/3/profile?column=weather')
    expect(words(page, '.track small')).toEqual(['0.20 / 0.80'])
  })
  it('show what is missing together instead', async () => {
    const page = await view('/deliveries/3/profile?column=weather')
    await page.get('#relation-of').setValue('missing')
    expect(words(page, 'aside th').slice(0, 1)).toEqual(['Missing with'])
    expect(words(page, 'aside tbody .name')).toEqual(['a column with a name of more than 22 letters'])
    expect(page.findAll('svg rect:not(.band)')).toHaveLength(2)
  })
  it('say how many records they rest on, and compare all when asked to', async () => {
    const page = await view()
    expect(page.get('.tools').text()).toContain('≈ over 300 of 900 records at even distances')
    await page.get('.tools button').trigger('click')
    await vi.waitFor(() => expect(asked().at(-1)).toMatchObject({ exact: true }))
  })
  it('say that no columns can be compared', async () => {
    const page = await view(undefined, { ...relations, pairs: [], missing: [], compared: 900 })
    expect(page.text()).toContain('No two columns can be compared.')
    expect(page.get('.tools').text()).toContain('over all 900 records')
  })
})

describe('the predictors of a target', () => {
  it('are listed by what they tell alone, of the target that is settled for the feed', async () => {
    const page = await view(undefined, relations, { ...settled, target: 'weather' })
    expect((page.get('#target').element as HTMLSelectElement).value).toBe('weather')
    expect(asked()).toEqual([{ target: 'weather', exact: false }])
    const last = page.findAll('aside table').at(-1)!
    expect(last.findAll('.name').map((element) => element.text())).toEqual(['pressure', 'depth'])
    expect(last.findAll('.num').map((element) => element.text())).toEqual(['strength', '0.75', '0.40'])
  })
  it('can be put aside, though the feed has a target', async () => {
    const page = await view(undefined, relations, { ...settled, target: 'weather' })
    await page.get('#target').setValue('')
    await vi.waitFor(() => expect(asked().at(-1)).toMatchObject({ target: '' }))
    expect(address(page).query.target).toBe('')
    expect(page.findAll('aside table')).toHaveLength(1)
  })
  it('go into the address when another target is chosen', async () => {
    const page = await view()
    await page.get('#target').setValue('depth')
    await flushPromises()
    expect(address(page).query.target).toBe('depth')
  })
})
