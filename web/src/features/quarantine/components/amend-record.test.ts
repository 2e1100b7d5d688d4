import type { Schemas } from '@/api/client'
import { answering, shown, type Asked } from '@/testing/page'
import { flushPromises } from '@vue/test-utils'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import AmendRecord from './AmendRecord.vue'

const cell = (name: string, original: string, current: string | null) => ({
  name,
  type: 'text',
  original,
  current,
  wrong: [],
})
const record: Schemas['LifeOut'] = {
  record: 1204, run: 4, state: 'quarantined', file: 'a.txt', line: 9, line_text: '', key: {}, since: null, owner: '', due: null,
  reasons: [{ rule: 3, name: 'ph', value: '99', phrase: 'is above 14' }],
  cells: [cell('id', '7', '7'), cell('site', ' ', null), cell('ph', ' 99', '99')],
  steps: [], decisions: [], runs: [], releases: [], others: [],
} // prettier-ignore
const PATH = 'POST /api/deliveries/9/quarantine/1204/retry'

async function opened(answer: (asked: Asked) => unknown, more: object = {}) {
  const asked = answering({ [PATH]: answer })
  const page = await shown(AmendRecord, {
    delivery: 9, record, mayDecide: true, busy: false, ...more,
  }) // prettier-ignore
  const type = async (name: string, text: string) => {
    await page.get(`[aria-label="${name}"]`).setValue(text)
    await vi.advanceTimersByTimeAsync(300)
    await flushPromises()
  }
  return { page, asked, type }
}

describe('amending a record', () => {
  beforeEach(() => vi.useFakeTimers())
  afterEach(() => {
    vi.useRealTimers()
    vi.unstubAllGlobals()
  })
  const ready = () => ({ state: 'corrected', reasons: [], values: {} })

  it('shows first what is wrong, with what was delivered', async () => {
    const { page } = await opened(ready)
    expect(page.findAll('td.name').map((cell) => cell.text())).toEqual(['ph', 'id', 'site'])
    expect(page.get('[role=status]').text()).toContain('is above 14')
    expect(page.get('[aria-label="ph"]').attributes('aria-invalid')).toBe('true')
    expect(page.get('[aria-label="id"]').attributes('aria-invalid')).toBe('false')
  })
  it('tries what is typed, once it rests, and says whether it would be ready', async () => {
    const { page, asked, type } = await opened(ready)
    await page.get('[aria-label="ph"]').setValue('9')
    await type('ph', '9.9')
    expect(asked.map((request) => request.body)).toEqual([{ values: { ph: '9.9' } }])
    expect(page.get('[role=status]').text()).toContain('It would be ready.')
  })
  it('says what would still be wrong', async () => {
    const still = [{ rule: 3, name: 'ph', value: '15', phrase: 'is above 14' }]
    const { page, type } = await opened(() => ({ state: 'quarantined', reasons: still, values: {} }))
    await type('ph', '15')
    expect(page.get('[role=status]').text()).toContain('is above 14')
    expect(page.text()).not.toContain('It would be ready.')
  })
  it('says why it could not be tried', async () => {
    const { page, type } = await opened(ready, { delivery: 8 })
    await type('ph', '7')
    expect(page.text()).toContain('/api/deliveries/8/quarantine/1204/retry')
    expect(page.text()).not.toContain('It would be ready.')
  })
  it('keeps only what differs, an emptied cell as missing', async () => {
    const { page, type } = await opened(ready)
    await type('site', 'A')
    await type('site', '')
    expect(page.get('.btn.main').attributes('disabled')).toBeDefined()
    await type('id', '')
    await page.get('form').trigger('submit')
    expect(page.emitted('amend')).toEqual([[{ id: null }, true]])
  })
  it('takes back what was typed', async () => {
    const { page, type } = await opened(ready)
    await type('ph', '7')
    await page.findAll('.btn').at(-1)?.trigger('click')
    expect((page.get('[aria-label="ph"]').element as HTMLInputElement).value).toBe('99')
    await page.get('form').trigger('submit')
    expect(page.emitted('amend')).toBeUndefined()
  })
  it('can be kept for the next run, without one of its own', async () => {
    const { page, type } = await opened(ready)
    await type('ph', '7')
    await page.findAll('.btn').find((button) => button.text() === 'Apply later')?.trigger('click')
    expect(page.emitted('amend')).toEqual([[{ ph: '7' }, false]])
  }) // prettier-ignore
  it('is only looked at by those who may not decide', async () => {
    const { page } = await opened(ready, { mayDecide: false })
    expect(page.findAll('input, button')).toHaveLength(0)
    expect(page.text()).toContain('99')
  })
  it('is not kept twice while it is being kept', async () => {
    const { page, type } = await opened(ready)
    await type('ph', '7')
    await page.setProps({ busy: true })
    await page.get('form').trigger('submit')
    expect(page.emitted('amend')).toBeUndefined()
  })
})
