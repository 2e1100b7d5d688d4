import { answering, shown, type Asked } from '@/testing/page'
import { flushPromises } from '@vue/test-utils'
import { describe, expect, it, vi } from 'vitest'
import { defineComponent, h, nextTick, ref } from 'vue'
import { provideTable } from '../logic/lookedAt'
import VariantGroups from './VariantGroups.vue'

const group = (preferred: string, ...others: string[]) => ({
  preferred,
  members: [preferred, ...others].map((value, at) => ({ value, count: 40 - at })),
})
const SPELLINGS = [group('Fen', 'fen', ' Fen'), group('Tarn', 'tarn'), group('Upham', 'UPHAM')]
const LEFT = [group('Reed', 'reed'), group('Moss', 'moss')]
const looked = ref<number>()
let noted: Asked[] = []
const picked = vi.fn<(name: string) => void>()

async function view(more: object = {}, found: object = { groups: SPELLINGS, distinct: 9, all: true }) {
  looked.value = undefined
  noted = answering({
    'GET /api/variant-methods': () => [
      { name: 'spelling', about: 'The same letters.' },
      { name: 'sound', about: 'The same sound.' },
    ],
    'GET /api/deliveries/3/variants': () => (looked.value ? { groups: LEFT, distinct: 4, all: true } : found),
    'POST /api/deliveries/3/variants': () => ({ revision: 4 }),
  })
  const Around = defineComponent({
    setup() {
      provideTable(looked)
      const props = {
        id: 3,
        column: 'site',
        columns: ['site', 'town'],
        mayWork: true,
        onColumn: picked,
        ...more,
      }
      return () => h(VariantGroups, props)
    },
  })
  const page = await shown(Around, {}, '/deliveries/3/profile')
  await flushPromises()
  return page
}
type Page = Awaited<ReturnType<typeof view>>
const boxes = (page: Page) => page.findAll<HTMLInputElement>('tbody input[type=checkbox]')
const forms = (page: Page) =>
  page.findAll<HTMLInputElement>('tbody input.field').map((eachElement) => eachElement.element.value)
const posted = () => noted.filter((request) => request.method === 'POST').map((request) => request.body)

describe('groups of spellings', () => {
  it('show the form that is proposed, each spelling with its cells and a door to them', async () => {
    const page = await view()
    expect(page.get('.about').text()).toBe('The same letters.')
    expect(forms(page)).toEqual(['Fen', 'Tarn', 'Upham'])
    const doors = page.findAll('tbody tr:first-child a').map((element) => [element.text(), new URL(element.attributes('href')!, 'http://p').searchParams.get('where')])
    expect(doors.map(([text]) => text)).toEqual(['40', '39', '38'])
    expect(JSON.parse(doors[2]![1]!)).toEqual([{ on: 'column', name: 'site', test: 'is', value: ' Fen' }])
  }) // prettier-ignore
  it('become a code list of what is chosen, in the form that is typed', async () => {
    const page = await view()
    expect(page.get('button.main').attributes('disabled')).toBeDefined()
    await boxes(page)[0]!.setValue(true)
    await boxes(page)[1]!.setValue(true)
    await page.findAll('tbody input.field')[0]!.setValue('fen')
    expect(page.get('button.main').text()).toBe('Make a code list of 3 spellings')
    await page.get('button.main').trigger('click')
    await flushPromises()
    expect(posted()).toEqual([
      {
        column: 'site',
        codes: [{ code: 'Fen', meaning: 'fen' }, { code: ' Fen', meaning: 'fen' }, { code: 'tarn', meaning: 'Tarn' }],
      },
    ])
    expect(page.text()).toContain('The code list is a rule now')
  }) // prettier-ignore
  it('are not offered any more while those of another table are looked for', async () => {
    const page = await view()
    await boxes(page)[0]!.setValue(true)
    looked.value = 2
    await nextTick()
    expect(boxes(page)).toHaveLength(0)
    expect(page.find('button.main').exists()).toBe(false)
    await flushPromises()
    expect(forms(page)).toEqual(['Reed', 'Moss'])
    expect(page.get('button.main').attributes('disabled')).toBeDefined()
  })
  it('leave out a group whose form is emptied', async () => {
    const page = await view()
    await boxes(page)[1]!.setValue(true)
    await page.findAll('tbody input.field')[1]!.setValue('  ')
    expect(page.get('button.main').text()).toBe('Make a code list of 0 spellings')
  })
  it('are searched, and all that are shown are chosen at once', async () => {
    const page = await view()
    await page.get('#find-variant').setValue('UPH')
    expect(forms(page)).toEqual(['Upham'])
    await page.get('.acts input').setValue(true)
    await page.get('#find-variant').setValue('')
    expect(boxes(page).map((box) => box.element.checked)).toEqual([false, false, true])
    await page.get('.acts input').setValue(true)
    await page.get('.acts input').setValue(false)
    expect(boxes(page).some((box) => box.element.checked)).toBe(false)
  })
  it('forget what was chosen of the groups of another table', async () => {
    const page = await view()
    await boxes(page)[0]!.setValue(true)
    looked.value = 8
    await flushPromises()
    await vi.waitFor(() => expect(forms(page)).toEqual(['Reed', 'Moss']))
    expect(boxes(page).some((box) => box.element.checked)).toBe(false)
    await boxes(page)[1]!.setValue(true)
    await page.get('button.main').trigger('click')
    await flushPromises()
    expect(posted()).toEqual([{ column: 'site', codes: [{ code: 'moss', meaning: 'Moss' }], table: 8 }])
  })
  it('are looked for by another method and in another column', async () => {
    const page = await view()
    await page.get('#variant-method').setValue('sound')
    await flushPromises()
    expect(page.get('.about').text()).toBe('The same sound.')
    await page.get('#variant-column').setValue('town')
    expect(picked).toHaveBeenCalledWith('town')
  })
  it('say when there are none, and when not all values are compared', async () => {
    const none = await view({}, { groups: [], distinct: 1200, all: true })
    expect(none.text()).toContain('No two of the 1,200 values of site are alike by this method.')
    const many = await view({}, { groups: SPELLINGS, distinct: 80_000, all: false })
    expect(many.get('.about').text()).toContain(
      'Only the 50,000 most frequent of 80,000 values are compared.',
    )
  })
  it('are seen, but neither joined nor renamed by a viewer', async () => {
    const page = await view({ mayWork: false })
    expect(page.find('button.main').exists()).toBe(false)
    expect(page.get('tbody input.field').attributes('disabled')).toBeDefined()
  })
})
