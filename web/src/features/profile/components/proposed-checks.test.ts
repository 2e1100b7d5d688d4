import { answering, shown, type Asked } from '@/testing/page'
import { flushPromises } from '@vue/test-utils'
import { describe, expect, it, vi } from 'vitest'
import { defineComponent, h, ref } from 'vue'
import { provideTable } from '../logic/lookedAt'
import ProposedChecksView from './ProposedChecksView.vue'

const check = (id: string, column: string, kind: string, present = false) => ({
  id, column, kind, present, rests_on: 'none of 60 is missing', sentence: [{ text: `${column} is there.`, data: false }],
}) // prettier-ignore
const CHECKS = [
  check('a', 'depth', 'required'), check('b', 'depth', 'in-range'), check('c', 'site', 'required', true), check('d', 'team', 'required'),
] // prettier-ignore
const looked = ref<number>()
const Around = defineComponent({
  setup() {
    provideTable(looked)
    return () => h(ProposedChecksView, { id: 3 })
  },
})
let noted: Asked[] = []

async function view(role = 'analyst', table?: number) {
  looked.value = table
  noted = answering({
    'GET /api/session': () => ({ username: 'marlo', name: 'I. Marlo', roles: [role] }),
    'GET /api/deliveries/3/proposed-checks': () => CHECKS,
    'POST /api/deliveries/3/proposed-checks': () => ({ revision: 4 }),
  })
  const page = await shown(Around, {}, '/deliveries/3/profile')
  await vi.waitFor(() => expect(page.findAll('tbody tr').length).toBeGreaterThan(0))
  await flushPromises()
  return page
}
type Page = Awaited<ReturnType<typeof view>>
const columns = (page: Page) => page.findAll('tbody tr').map((row) => /depth|site|team/.exec(row.text())?.[0])
const boxes = (page: Page) => page.findAll<HTMLInputElement>('tbody input[type=checkbox]')
const button = (page: Page) => page.get('button.main')
const posted = () => noted.filter((request) => request.method === 'POST').map((request) => request.body)

describe('proposed checks', () => {
  it('are narrowed by column and by kind', async () => {
    const page = await view()
    expect(columns(page)).toEqual(['depth', 'depth', 'site', 'team'])
    await page.get('#kind-bound').setValue('required')
    expect(columns(page)).toEqual(['depth', 'site', 'team'])
    await page.get('#find-bound').setValue('DEP')
    expect(columns(page)).toEqual(['depth'])
  })
  it('are accepted as they are chosen, all that are shown at once', async () => {
    const page = await view()
    await page.get('#kind-bound').setValue('required')
    await page.get('.all input').setValue(true)
    await button(page).trigger('click')
    await vi.waitFor(() => expect(posted()).toEqual([{ ids: ['a', 'd'] }])) // what is there already is not chosen
  })
  it('belong to the table that is looked at, and a choice does not outlive it', async () => {
    const page = await view('analyst', 8)
    await boxes(page)[1]!.setValue(true)
    await button(page).trigger('click')
    await vi.waitFor(() => expect(posted()).toEqual([{ ids: ['b'], table: 8 }]))
    await boxes(page)[0]!.setValue(true)
    looked.value = undefined
    await flushPromises()
    await vi.waitFor(() => expect(boxes(page).length).toBeGreaterThan(0))
    expect(boxes(page).filter((box) => box.element.checked && !box.element.disabled)).toHaveLength(0)
  })
  it('are seen, but not accepted by a viewer', async () => {
    const page = await view('viewer')
    expect(page.find('button.main').exists()).toBe(false)
  })
})
