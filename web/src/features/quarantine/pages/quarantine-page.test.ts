import type { Schemas } from '@/api/client'
import { answering, shown, type Asked } from '@/testing/page'
import { flushPromises } from '@vue/test-utils'
import { afterEach, describe, expect, it, vi } from 'vitest'
import QuarantinePage from './QuarantinePage.vue'

type Held = Schemas['HeldOut']
const quarantined = (record: number, name = 'ph'): Held => ({
  record, file: 0, line: record + 3, reasons: [{ rule: 9, name, value: '74', phrase: 'is above 14' }],
  current: { id: String(record), ph: '74' }, original: { id: String(record), ph: '74' },
}) // prettier-ignore
const REASON = {
  rule: 9,
  name: 'ph',
  phrase: 'is above 14',
  records: 2,
  sentence: [{ text: 'ph is between 0 and 14.', data: false }],
}
const OVERVIEW = { run: 31, since: null, total: 3, reasons: [REASON], decisions: [] as unknown[] }
const ANSWERS = {
  'GET /api/session': () => ({ username: 'marlo', name: 'I. Marlo', roles: ['analyst'] }),
  'GET /api/deliveries/3': () => ({ id: 3, release: '', job: null, feed: { slug: 'field', name: 'Field' } }),
  'GET /api/deliveries/3/quarantine': () => OVERVIEW as unknown,
  'GET /api/deliveries/3/quarantine/records': (): unknown => ({
    run: 31, total: 3, files: ['east.txt'], columns: ['id', 'ph'], rows: [quarantined(7), quarantined(9), quarantined(12, 'id')],
  }),
  'POST /api/deliveries/3/decisions': (): unknown => ({}),
  'POST /api/deliveries/3/decisions/take-back': (): unknown => ({}),
} // prettier-ignore

async function opened(answers: Partial<Record<keyof typeof ANSWERS, (asked: Asked) => unknown>> = {}, path = '/deliveries/3') {
  const noted = answering({ ...ANSWERS, ...answers })
  const page = await shown(QuarantinePage, {}, path)
  await flushPromises()
  await flushPromises()
  const button = (name: string) => page.findAll('button').find((element) => element.text() === name)
  const decided = () => noted.filter((request) => request.path.endsWith('/decisions')).map((request) => request.body)
  return { page, noted, button, decided }
} // prettier-ignore

describe('the quarantine of a delivery', () => {
  afterEach(() => vi.unstubAllGlobals())

  it('lists reasons with their counts, and records with what is wrong with them', async () => {
    const { page } = await opened()
    expect(page.get('.reasons').text()).toContain('is above 14')
    expect(page.findAll('.reasons b').map((element) => element.text())).toEqual(['3', '2'])
    expect(page.get('.total').text()).toBe('3 records')
    expect(page.findAll('.quarantined tbody tr').map((row) => row.get('.record').text())).toEqual([
      '7',
      '9',
      '12',
    ])
    expect(page.findAll('.quarantined tbody tr')[0]?.text()).toContain('east.txt 10')
  })
  it('shows the first record at once; j and k walk, a press chooses', async () => {
    const { page } = await opened()
    const chosen = () => page.get('aside').attributes('aria-label')
    expect(chosen()).toBe('Record 7')
    document.dispatchEvent(new KeyboardEvent('keydown', { key: 'j', bubbles: true }))
    await flushPromises()
    expect(chosen()).toBe('Record 9')
    document.dispatchEvent(new KeyboardEvent('keydown', { key: 'k', bubbles: true }))
    await flushPromises()
    expect(chosen()).toBe('Record 7')
    await page.findAll('.quarantined tbody tr')[2]?.trigger('click')
    await flushPromises()
    expect(chosen()).toBe('Record 12')
  })
  it('accepts or discards only with a reason, the chosen record alone', async () => {
    const { page, button, decided } = await opened()
    expect(button('Accept 1 as exception')?.attributes('disabled')).toBeDefined()
    await page.get('#why').setValue('  ')
    expect(button('Discard 1')?.attributes('disabled')).toBeDefined()
    await page.get('#why').setValue('measured so')
    await button('Accept 1 as exception')?.trigger('click')
    await flushPromises()
    expect(decided()).toEqual([{ records: [7], kind: 'accept', values: {}, justification: 'measured so' }])
    expect((page.get('#why').element as HTMLInputElement).value).toBe('')
  })
  it('decides on all that are marked, and says how many', async () => {
    const { page, button, decided } = await opened()
    await page.get('[aria-label="mark record 9"]').setValue(true)
    await page.get('[aria-label="mark record 12"]').setValue(true)
    await page.get('#why').setValue('a wrong probe')
    expect(page.get('label[for=why]').text()).toContain('(for the 2 marked records)')
    await button('Discard 2')?.trigger('click')
    await flushPromises()
    expect(decided()).toEqual([
      { records: [9, 12], kind: 'discard', values: {}, justification: 'a wrong probe' },
    ])
  })
  it('marks the whole page and nothing of it again', async () => {
    const { page, button } = await opened()
    await page.get('[aria-label="mark all on this page"]').trigger('change')
    expect(button('Discard 3')).toBeDefined()
    await page.get('[aria-label="mark all on this page"]').trigger('change')
    expect(button('Discard 1')).toBeDefined()
  })
  it('keeps what was typed when a decision is refused, and says why', async () => {
    const { page, button } = await opened({ 'POST /api/deliveries/3/decisions': undefined })
    await page.get('#why').setValue('measured so')
    await button('Discard 1')?.trigger('click')
    await flushPromises()
    expect(page.get('aside').text()).toContain('/api/deliveries/3/decisions')
    expect((page.get('#why').element as HTMLInputElement).value).toBe('measured so')
  })
  it('lists what was decided, and undoes it', async () => {
    const decision = { record: 5, kind: 'accept', values: {}, justification: 'a hot spring', who: 'I. Marlo', at: '2026-11-27T09:00:00Z' }
    const { page, noted, button } = await opened({ 'GET /api/deliveries/3/quarantine': () => ({ ...OVERVIEW, decisions: [decision] }) })
    expect(page.text()).toContain('accepted as exception')
    expect(page.text()).toContain('a hot spring')
    await button('Undo decision')?.trigger('click')
    await flushPromises()
    expect(noted.find((request) => request.path.endsWith('take-back'))?.body).toEqual({ records: [5] })
  }) // prettier-ignore
  it('offers nothing to decide once the delivery is released, and says so', async () => {
    const released = { id: 3, release: 'published', job: null, feed: { slug: 'field', name: 'Field' } }
    const { page, button } = await opened({ 'GET /api/deliveries/3': () => released })
    expect(page.text()).toContain('This delivery is released.')
    expect(page.find('#why').exists()).toBe(false)
    expect(page.find('[aria-label="mark record 7"]').exists()).toBe(false)
    expect(button('Undo decision')).toBeUndefined()
  })
  it('offers nothing to decide to a viewer', async () => {
    const viewer = { username: 'viewer', name: 'V', roles: ['viewer'] }
    const { page } = await opened({ 'GET /api/session': () => viewer })
    expect(page.findAll('.quarantined tbody tr')).toHaveLength(3)
    expect(page.find('#why').exists()).toBe(false)
  })
  it('of one reason, only its records are asked for', async () => {
    const { page, noted } = await opened({}, '/deliveries/3?rule=9&name=ph')
    expect(page.get('.tools').text()).toContain('ph is above 14')
    expect(noted.filter((request) => request.path.endsWith('/records')).length).toBeGreaterThan(0)
    expect(page.findAll('.reasons a.on')).toHaveLength(1)
  })
  it('says what to do before the first run, and when nothing is left', async () => {
    const before = await opened({ 'GET /api/deliveries/3/quarantine': () => ({ ...OVERVIEW, run: null, total: 0, reasons: [] }) })
    expect(before.page.text()).toContain('the rulebook has not been run over this delivery')
    before.page.unmount()
    const none = { run: 31, total: 0, files: [], columns: [], rows: [] }
    const { page } = await opened({
      'GET /api/deliveries/3/quarantine': () => ({ ...OVERVIEW, total: 0, reasons: [] }),
      'GET /api/deliveries/3/quarantine/records': () => none,
    })
    expect(page.text()).toContain('No record is quarantined for this.')
    expect(page.find('table').exists()).toBe(false)
  }) // prettier-ignore
})
