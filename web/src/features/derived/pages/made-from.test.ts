import { answering, shown, type Asked } from '@/testing/page'
import { focusManager } from '@tanstack/vue-query'
import { flushPromises } from '@vue/test-utils'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import MadeFromPage from './MadeFromPage.vue'

vi.mock('@vueuse/core', async (actual) => ({
  ...(await actual<object>()),
  refDebounced: (value: unknown) => value,
}))
vi.mock('@/features/work', () => ({ useFreshWithWork: () => undefined }))
vi.mock('@/features/session', async () => {
  const { ref } = await import('vue')
  return { usePerson: () => ({ mayWork: ref(true) }) }
})

const widget = (widget: string, title: string, more = {}) => ({ widget, title, ...more })
const KINDS = [
  {
    kind: 'look-up', title: 'Look up columns', group: 'Table', about: '', is_check: false, synonyms: [], example: null,
    fields: { reference: widget('reference', 'In the table'), keys: widget('key pairs', 'Where columns match') },
  },
  { kind: 'required', title: 'Required', group: 'Per record', about: '', is_check: true, synonyms: [], fields: {} },
] // prettier-ignore
const TABLES = [
  { slug: 'boats', name: 'Boats', records: 3, columns: ['no', 'port'] },
  { slug: 'ports', name: 'Ports', records: 2, columns: ['port', 'country'] },
  { slug: 'gauges', name: 'Gauges', records: 0, columns: [] },
]
const STEP = { kind: 'look-up', id: 'look-up-1', enabled: true, note: '', reference: 'ports', keys: [] }
const PLAN = {
  base: 'boats', steps: [{ rule: STEP, title: 'Look up columns', sentence: [] }], sources: ['boats', 'ports'], version: 4,
  last_at: null, last_said: '', last_failed: false, delivery: null, is_current: true,
} // prettier-ignore
const TRIED = {
  sentences: [[{ text: 'Look up in Ports.', data: false }]],
  columns: [[{ name: 'no', type: 'text' }], [{ name: 'no', type: 'text' }, { name: 'country', type: 'text' }]],
  records: [3, 2],
  rows: [['7', null], ['8', 'NL']],
  problem: '',
  advice: '',
  step: 0,
} // prettier-ignore
let asked: Asked[]
let planned: unknown

async function page(plan: unknown, tried: unknown = TRIED) {
  planned = plan
  asked = answering({
    'GET /api/feeds/calls/derived-from': () => ({ plan: planned, tables: TABLES }),
    'GET /api/feeds/calls': () => ({ name: 'Calls', deliveries: [] }),
    'GET /api/rule-kinds': () => KINDS,
    'POST /api/feeds/calls/derived-from/try': () => tried,
    'PUT /api/feeds/calls/derived-from': () => ({ ...PLAN, version: 5 }),
  })
  const mounted = await shown(MadeFromPage, {}, '/feeds/calls')
  await flushPromises()
  return mounted
}
/** Everything is asked for anew, as when the window is looked at again. */
async function refetched() {
  focusManager.setFocused(false)
  focusManager.setFocused(true)
  await flushPromises()
}
const sent = (method: string) =>
  asked.filter((each) => each.method === method && each.path.includes('derived-from'))

describe('what a feed is made from', () => {
  beforeEach(() => vi.useRealTimers())
  afterEach(() => (document.body.innerHTML = ''))

  it('shows the steps with the records after each, and the first records of the result', async () => {
    const mounted = await page(PLAN)
    expect(mounted.findAll('li').map((line) => line.text())).toEqual(['1Look up in Ports.2'])
    expect(mounted.find('.result').text()).toContain('2 records, 2 columns')
    expect(mounted.findAll('tbody tr').map((row) => row.text())).toEqual(['7missing', '8NL'])
    expect(mounted.find('.btn.main').attributes('disabled')).toBeDefined()
  })
  it('is tried while it is edited and saved with the version that was seen', async () => {
    const mounted = await page(PLAN)
    await mounted.find('#new-step').setValue('look-up')
    await flushPromises()
    const [first, second] = sent('POST').map(({ body }) => (body as { steps: unknown[] }).steps.length)
    expect([first, second]).toEqual([1, 2])
    await mounted.find('.btn.main').trigger('click')
    await flushPromises()
    const body = sent('PUT')[0]?.body as { base: string; version: number; steps: { id: string }[] }
    expect([body.base, body.version, body.steps.map(({ id }) => id)]).toEqual([
      'boats',
      4,
      ['look-up-1', 'look-up-2'],
    ])
  })
  it('keeps what is typed when somebody else saves meanwhile, and takes theirs when nothing is', async () => {
    const mounted = await page(PLAN)
    planned = { ...PLAN, version: 5, steps: [] }
    await mounted.find('#new-step').setValue('look-up')
    await refetched()
    expect(mounted.findAll('li')).toHaveLength(2)
    const untouched = await page(PLAN)
    planned = { ...PLAN, version: 5, steps: [] }
    await refetched()
    expect(untouched.findAll('li')).toHaveLength(0)
  })
  it('offers corrections as steps, and released tables to look into', async () => {
    const mounted = await page(PLAN)
    expect(mounted.findAll('#new-step option').map((option) => option.text())).toEqual([
      'choose what it does',
      'Look up columns',
    ])
    await mounted.find('.what').trigger('click')
    await flushPromises()
    expect(mounted.findAll('#rule-reference option').map((option) => option.text())).toEqual([
      'choose a table',
      'Boats',
      'Ports',
    ])
  })
  it('says at the step what does not fit, and keeps nothing then', async () => {
    const problem = {
      ...TRIED,
      records: [],
      rows: [],
      problem: 'No column x.',
      advice: 'Choose another.',
      step: 1,
    }
    const mounted = await page(PLAN, problem)
    expect(mounted.find('li [role=alert]').text()).toBe('No column x. Choose another.')
    await mounted.find('.what').trigger('click')
    await mounted.findAll('.acts button')[2]!.trigger('click')
    expect(mounted.find('li').exists()).toBe(false)
    expect(mounted.find('.btn.main').attributes('disabled')).toBeDefined()
  })
  it('begins with a choice where nothing is planned yet', async () => {
    const mounted = await page(null)
    expect(mounted.text()).toContain('Choose the feed whose released records come first.')
    expect(sent('POST')).toEqual([])
    await mounted.find('#base').setValue('ports')
    await flushPromises()
    expect((sent('POST')[0]?.body as { base: string }).base).toBe('ports')
    expect(mounted.findAll('#base option').at(-1)?.text()).toBe('Gauges (nothing released yet)')
  })
})
