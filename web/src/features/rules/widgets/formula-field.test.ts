import { answering, shown } from '@/testing/page'
import { flushPromises } from '@vue/test-utils'
import { afterEach, describe, expect, it, vi } from 'vitest'
import FormulaField from './FormulaField.vue'

const ANSWER = {
  columns: [['a', 'text']], message: '', advice: '', start: 0, end: 0, type: 'true/false', reads: ['a'],
  rows: [{ record: 1, cells: ['x'], result: 'true' }], readings: [],
} // prettier-ignore
const rule = { kind: 'holds', id: 'h', enabled: true, note: '' }

async function field(answer: object, condition = true) {
  answering({
    'GET /api/formula-functions': () => [],
    'GET /api/library': () => ({ code_lists: [], references: [], parameters: [], shared: [] }),
    'POST /api/deliveries/9/formula': () => ({ ...ANSWER, ...answer }),
  })
  const props = {
    id: 'f',
    value: "a = 'x'",
    condition,
    hint: '',
    rule,
    rules: [],
    delivery: 9,
    disabled: false,
  }
  const page = await shown(FormulaField, props)
  await vi.waitFor(() => expect(page.text()).toContain('Record'))
  await flushPromises()
  return page
}

describe('a formula as it is typed', () => {
  afterEach(() => vi.unstubAllGlobals())
  it('asks which is meant where and stands beside or, and writes the answer', async () => {
    const page = await field({ readings: ['p or (q and r)', '(p or q) and r'] })
    const offered = page.findAll('.question button')
    expect(offered.map((button) => button.text())).toEqual(['p or (q and r)', '(p or q) and r'])
    await offered[1]!.trigger('click')
    expect(page.emitted('set')).toEqual([['(p or q) and r']])
  })
  it('asks nothing where it is clear', async () => {
    const page = await field({})
    expect(page.find('.question').exists()).toBe(false)
    expect(page.get('table').text()).toContain('true')
  })
})
