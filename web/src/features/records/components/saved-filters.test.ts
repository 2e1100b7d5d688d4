import { answering, shown, type Asked } from '@/testing/page'
import { flushPromises } from '@vue/test-utils'
import { afterEach, describe, expect, it, vi } from 'vitest'
import { areSame, asked as lean, type Filter } from '../logic/filters'
import SavedFilters from './SavedFilters.vue'

const SOUTH: Filter = { on: 'column', name: 'place', test: 'contains', value: 'south' }
const FILTERS = 'GET /api/feeds/rooms/filters'

async function bar(filters: Filter[], answers: Record<string, (asked: Asked) => unknown> = {}) {
  const noted = answering({
    'GET /api/session': () => ({ username: 'marlo', name: 'I. Marlo', roles: ['analyst'] }),
    [FILTERS]: () => [
      { id: 4, name: 'the south', filters: [{ ...SOUTH, values: [] }], problem: '' },
      { id: 5, name: 'of before', filters: [], problem: 'These filters cannot be used any more.' },
    ],
    ...answers,
  }) // prettier-ignore
  const page = await shown(SavedFilters, { slug: 'rooms', filters })
  await flushPromises()
  return { page, noted }
}

describe('saved filters', () => {
  afterEach(() => vi.unstubAllGlobals())

  it('are offered by name; those that cannot be used any more say so', async () => {
    const { page } = await bar([])
    const options = page.findAll('option')
    expect(options.map((option) => option.text())).toEqual(['saved filters', 'the south', 'of before (cannot be used any more)'])
    expect(options[2]?.attributes('disabled')).toBeDefined()
    expect(options[2]?.attributes('title')).toBe('These filters cannot be used any more.')
  }) // prettier-ignore
  it('chosen, they are applied', async () => {
    const { page } = await bar([])
    await page.get('select').setValue('4')
    expect(page.emitted('apply')).toEqual([[[{ ...SOUTH, values: [] }]]])
  })
  it('at hand, they are known again and can be deleted, not saved once more', async () => {
    const { page, noted } = await bar([SOUTH], { 'DELETE /api/feeds/rooms/filters/4': () => null })
    expect((page.get('select').element as HTMLSelectElement).value).toBe('4')
    expect(page.findAll('button').map((element) => element.text())).toEqual(['Delete'])
    await page.get('button').trigger('click')
    await flushPromises()
    expect(noted.some((request) => request.method === 'DELETE')).toBe(true)
  })
  it('others are saved under a name, without their empty parts', async () => {
    const { page, noted } = await bar([{ ...SOUTH, value: 'north', values: [], of: [] }], {
      'PUT /api/feeds/rooms/filters': ({ body }) => ({ id: 6, problem: '', ...(body as object) }),
    })
    await page.get('button').trigger('click')
    await page.get('#filter-name').setValue('the north')
    await page.get('form').trigger('submit')
    await flushPromises()
    expect(noted.find((request) => request.method === 'PUT')?.body).toEqual({
      name: 'the north',
      filters: [{ on: 'column', name: 'place', test: 'contains', value: 'north' }],
    })
    expect(page.find('#filter-name').exists()).toBe(false)
  })
  it('what stands in the way of saving is said', async () => {
    const { page } = await bar([{ ...SOUTH, value: 'east' }])
    await page.get('button').trigger('click')
    await page.get('#filter-name').setValue('x')
    await page.get('form').trigger('submit')
    await flushPromises()
    expect(page.get('[role=alert]').text()).toContain('/api/feeds/rooms/filters')
    expect(page.find('#filter-name').exists()).toBe(true)
  })
})

describe('filters without their empty parts', () => {
  it('are those that the API takes, at any depth', () => {
    const full = { on: 'none of', name: '', test: 'is', value: '', values: [], of: [{ on: 'any missing', value: '' }] }
    expect(lean(full)).toEqual({ on: 'none of', of: [{ on: 'any missing' }] })
  }) // prettier-ignore
  it.each([
    [[SOUTH], [{ ...SOUTH, values: [], of: [] }], true],
    [[SOUTH], [{ ...SOUTH, value: 'north' }], false],
    [[SOUTH], [SOUTH, SOUTH], false],
    [[{ on: 'column', name: 'a', value: 'x' }], [{ on: 'column', name: 'a', test: 'is', value: 'x' }], true],
  ])('are the same or not', (some, others, same) => {
    expect(areSame(some, others)).toBe(same)
  })
})
