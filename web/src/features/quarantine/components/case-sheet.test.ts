import { answering, shown } from '@/testing/page'
import { enableAutoUnmount, flushPromises } from '@vue/test-utils'
import { afterEach, describe, expect, it } from 'vitest'
import CaseSheet from './CaseSheet.vue'

enableAutoUnmount(afterEach)
const held = (record: number) => ({
  record, file: 0, line: 1, reasons: [{ rule: 9, name: 'ph, id', value: '74', phrase: 'is above 14' }], key: [], since: null, owner: '',
  due: null, settled_by: null, again_in: null, there: null, with_supplier: false,
}) // prettier-ignore
const life = (record: number) => ({
  record, run: 31, state: 'quarantined', file: 'east.txt', line: 1, line_text: '', key: {}, since: null, owner: '', due: null,
  reasons: [{ rule: 9, name: 'ph', value: '74', phrase: 'is above 14' }],
  cells: [
    { name: 'id', type: 'text', original: 'K1', current: 'K1', wrong: [] },
    { name: 'ph', type: 'decimal', original: '74', current: '74', wrong: ['is above 14'] },
  ],
  steps: [], decisions: [], runs: [], releases: [], others: [],
}) // prettier-ignore
const ALL = { run: 31, columns: ['id', 'ph'], people: [], key: [] }

async function sheet(props: object = {}) {
  answering({})
  const page = await shown(CaseSheet, {
    delivery: 3, all: ALL, one: held(7), marked: new Set<number>(), fit: undefined, life: life(7), isLoading: false, error: null,
    form: 'one', mayDecide: true, busy: false, ...props,
  }, '/deliveries/3') // prettier-ignore
  const focused = () => document.activeElement?.getAttribute('aria-label') ?? ''
  const exposed = page.vm as unknown as { toValues: () => void }
  return { page, focused, toValues: () => exposed.toValues() }
}

describe('what to do with a quarantined record', () => {
  it('goes to its first wrong value', async () => {
    const { focused, toValues } = await sheet()
    toValues()
    expect(focused()).toBe('ph')
  })
  it('goes there when the record comes, where that was asked for before', async () => {
    const { page, focused, toValues } = await sheet({ life: undefined, isLoading: true })
    toValues()
    expect(focused()).toBe('')
    await page.setProps({ life: life(7), isLoading: false })
    await flushPromises()
    expect(focused()).toBe('ph')
  })
  it('does not when another record was chosen meanwhile', async () => {
    const { page, focused, toValues } = await sheet({ life: undefined, isLoading: true })
    toValues()
    await page.setProps({ one: held(8) })
    await page.setProps({ life: life(8), isLoading: false })
    await flushPromises()
    expect(focused()).toBe('')
  })
  it.each([
    [{ marked: new Set([7, 9]) }, '2 marked records', 'Decide on many'],
    [{ fit: { chosen: {}, count: 1200 } }, 'All 1,200 that fit', 'Decide on many'],
  ])('is about many where many are meant: %o', async (props, title, label) => {
    const { page } = await sheet(props)
    expect(page.get('h2').text()).toBe(title)
    expect(page.get('aside').attributes('aria-label')).toBe(label)
    expect(page.find('.amend').exists()).toBe(false)
  })
})
