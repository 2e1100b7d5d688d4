import type { Schemas } from '@/api/client'
import { answering, shown, type Asked } from '@/testing/page'
import { describe, expect, it, vi } from 'vitest'
import { otherThanRule, partsIn } from '../logic/settled'
import SuitabilityView from './SuitabilityView.vue'

const column = (name: string, more: object = {}) => ({
  name, type: 'decimal', role: 'quantity', missing: 0, distinct: 50, kinds: {}, meant: [], numbers: {}, ...more,
}) // prettier-ignore
const profile = {
  records: 100,
  columns: [
    column('yield'),
    column('acidity'),
    column('sparse', { missing: 70 }),
    column('fixed', { distinct: 1 }),
  ],
} as unknown as Schemas['Profile']
const related = (name: string) => ({ name, scale: 'number', why_not: '' })
const relations = {
  columns: profile.columns.map((column) => related(column.name)),
  pairs: [],
  missing: [],
  foretold: [],
}
const nothing = {
  target: '', limits: { missing: 0.6, repeats: 0.98, leaks: 0.98 }, roles: {}, excluded: [], by: '', at: null,
} // prettier-ignore

let noted: Asked[] = []
async function view(kept: object, address = '/deliveries/3/profile/suitability', role = 'analyst') {
  noted = answering({
    'GET /api/session': () => ({ username: 'marlo', name: 'I. Marlo', roles: [role] }),
    'GET /api/deliveries/3/suitability': () => ({ ...nothing, ...kept }),
    'POST /api/deliveries/3/relations': () => ({ id: 5, job: null }),
    'GET /api/relations/5': () => relations,
    'PUT /api/deliveries/3/suitability': () => ({ revision: 9 }),
  })
  const page = await shown(SuitabilityView, { id: 3, profile }, address)
  await vi.waitFor(() => expect(page.get('.sum').text()).toContain('excluded'))
  return page
}
type Page = Awaited<ReturnType<typeof view>>
const verdicts = (page: Page) => page.findAll('td.verdict').map((cell) => cell.text())
const button = (page: Page) => page.get('button.main')

describe('suitability, before anything is settled', () => {
  it('judges by the limits it starts with', async () => {
    const page = await view({})
    await vi.waitFor(() => expect(verdicts(page)).toHaveLength(4))
    expect(verdicts(page).slice(0, 2)).toEqual(['excluded: 70 % missing', 'excluded: has one value only'])
    expect(page.get('.sum').text().replace(/\s+/g, ' ')).toBe('2 stay, 2 are excluded')
    expect(button(page).text()).toBe('Add the rule that drops 2 columns')
  })

  it('settles target, limits and parts with the rule', async () => {
    const page = await view(
      {},
      '/deliveries/3/profile/suitability?target=yield&missing=80&parts={"acidity":"excluded","fixed":"input"}',
    )
    await vi.waitFor(() => expect(button(page).attributes('disabled')).toBeUndefined())
    await button(page).trigger('click')
    const put = () => noted.filter((request) => request.method === 'PUT')
    await vi.waitFor(() => expect(put()).toHaveLength(1))
    expect(put()[0]!.body).toMatchObject({
      columns: ['acidity'],
      target: 'yield',
      limits: { missing: 0.8, repeats: 0.98, leaks: 0.98 },
      roles: { acidity: 'excluded', fixed: 'input' },
    })
  })

  it('has nothing to remove when nothing falls out', async () => {
    const page = await view({}, '/deliveries/3/profile/suitability?missing=90&parts={"fixed":"input"}')
    await vi.waitFor(() => expect(verdicts(page)).toContain('input by hand, though has one value only'))
    expect(button(page).attributes('disabled')).toBeDefined()
  })
})

describe('suitability of a feed for which it is settled', () => {
  const settled = {
    target: 'yield', limits: { missing: 0.8, repeats: 0.9, leaks: 0.7 }, roles: { acidity: 'excluded' },
    excluded: ['acidity', 'fixed'], by: 'Marlo', at: '2024-05-02T10:00:00Z',
  } // prettier-ignore

  it('judges the next delivery by what is settled', async () => {
    const page = await view(settled)
    await vi.waitFor(() => expect(page.text()).toContain('Settled for the feed by Marlo'))
    expect((page.get('#suit-target').element as HTMLSelectElement).value).toBe('yield')
    expect((page.get('#limit-missing').element as HTMLInputElement).value).toBe('80')
    expect((page.get('#hand-acidity').element as HTMLSelectElement).value).toBe('excluded')
    expect(button(page).text()).toBe('Keep these settings')
  })

  it('says what the rule drops otherwise than the settings find now', async () => {
    const page = await view({ ...settled, excluded: ['acidity', 'gone'] })
    await vi.waitFor(() => expect(page.find('.news').exists()).toBe(true))
    expect(page.get('.news').text().replace(/\s+/g, ' ')).toBe(
      'The rule drops other columns than these settings find; not dropped yet: fixed; dropped, but fit: gone.',
    )
    expect(button(page).text()).toBe('Change the rule to 2 columns')
  })

  it('a part can be taken back, and no target chosen', async () => {
    const page = await view(settled, '/deliveries/3/profile/suitability?target=&parts={"acidity":""}')
    await vi.waitFor(() =>
      expect(page.get('.sum').text().replace(/\s+/g, ' ')).toBe('3 stay, 1 are excluded'),
    )
    expect((page.get('#suit-target').element as HTMLSelectElement).value).toBe('')
    expect((page.get('#hand-acidity').element as HTMLSelectElement).value).toBe('')
  })

  it('a viewer sees it and cannot change the rule', async () => {
    const page = await view(settled, undefined, 'viewer')
    expect(page.find('button.main').exists()).toBe(false)
  })
})

describe('the parts in an address', () => {
  it.each([
    ['{"a":"input","b":"excluded","c":""}', { a: 'input', b: 'excluded', c: '' }],
    ['{"a":"target"}', {}],
    ['[1]', {}],
    ['null', {}],
    ['{"a":', {}],
    ['', {}],
  ])('%s', (written, read) => {
    expect(partsIn(written)).toEqual(read)
  })
})

it('tells what a rule drops more and less than is judged', () => {
  expect(otherThanRule(['a', 'b'], ['b', 'c'])).toEqual({ more: ['a'], less: ['c'] })
  expect(otherThanRule(['a'], ['a'])).toEqual({ more: [], less: [] })
})
