import { answering, shown } from '@/testing/page'
import { flushPromises } from '@vue/test-utils'
import { afterEach, describe, expect, it, vi } from 'vitest'
import AnswerFile from './AnswerFile.vue'

const PATH = 'POST /api/deliveries/9/quarantine/answer'
const SAID = {
  returned: 7, records: 38, untouched: 1, settled: 2, unknown: [3], repeated: [], changed: [40, 41, 42, 43, 44, 45, 46], states: { corrected: 36, quarantined: 2 },
  examples: [], job: null,
} // prettier-ignore

async function opened(answers: (() => unknown)[]) {
  const left = [...answers]
  vi.stubGlobal('FormData', class { append() {} toString() { return '{}' } })
  const asked = answering(answers.length ? { [PATH]: () => left.shift()?.() } : {})
  const page = await shown(AnswerFile, { delivery: 9, busy: false, arrived: [] })
  const input = page.get('input[type=file]')
  Object.defineProperty(input.element, 'files', { value: [new File(['reference;x'], 'answer.csv')] })
  await input.trigger('change')
  for (let round = 0; round < 3; round += 1) await flushPromises()
  return { page, asked }
} // prettier-ignore

describe('what came back from a supplier', () => {
  afterEach(() => vi.unstubAllGlobals())

  it('is looked at first: what it would do, and which lines are not taken and why', async () => {
    const { page, asked } = await opened([() => SAID])
    expect(asked).toHaveLength(1)
    const text = page.get('[role=status]').text().replace(/\s+/g, ' ')
    expect(text).toContain(
      '38 records filled in: 36 would be ready, 2 still quarantined. 1 line without a correction.',
    )
    expect(text).toContain('were changed: line 40, 41, 42, 43, 44 and 2 more.')
    expect(text).toContain('not of this file: line 3.')
    expect(text).toContain('2 records not taken, because somebody decided on them since')
    expect(text).not.toContain('twice')
  })
  it('is applied by a press', async () => {
    const { page } = await opened([() => SAID, () => ({ ...SAID, job: { id: 4 } })])
    await page.get('.btn.main').trigger('click')
    for (let round = 0; round < 3; round += 1) await flushPromises()
    expect(page.emitted('applied')).toHaveLength(1)
    expect(page.find('[role=status]').exists()).toBe(false)
  })
  it('offers nothing to apply where nothing was filled in, and says what is no answer', async () => {
    const nothing = await opened([() => ({ ...SAID, records: 0, untouched: 40 })])
    expect(nothing.page.find('.btn.main').exists()).toBe(false)
    expect(nothing.page.text()).toContain('40 lines without a correction.')
    nothing.page.unmount()
    const { page } = await opened([])
    expect(page.find('.btn.main').exists()).toBe(false)
    expect(page.text()).toContain('/api/deliveries/9/quarantine/answer')
  })
})

describe('an answer that arrived by itself', () => {
  const ARRIVED = {
    id: 4, returned: 7, delivery: 9, number: 2, name: 'east.xlsx', way: 'drop folder', arrived: '2026-11-28T09:00:00Z', state: 'waiting',
  } // prettier-ignore
  const PLACE = 'POST /api/deliveries/9/answers/4'
  async function waiting(answers: Record<string, () => unknown>) {
    const asked = answering(answers)
    const page = await shown(AnswerFile, { delivery: 9, busy: false, arrived: [ARRIVED] })
    const press = async (words: string) => {
      await page.findAll('button').find((button) => button.text().startsWith(words))!.trigger('click')
      for (let round = 0; round < 3; round += 1) await flushPromises()
    }
    return { page, asked, press }
  } // prettier-ignore

  it('is looked at first, then applied', async () => {
    const left: unknown[] = [SAID, { ...SAID, job: { id: 4 } }]
    const { page, asked, press } = await waiting({ [PLACE]: () => left.shift() })
    expect(page.text()).toContain('east.xlsx')
    expect(asked).toEqual([])
    await press('Look at it')
    expect(page.text()).toContain('36 would be ready')
    expect(page.emitted('applied')).toBeUndefined()
    await press('Amend 38')
    expect(asked.map((each) => each.query.get('apply'))).toEqual(['false', 'true'])
    expect(page.emitted('applied')).toHaveLength(1)
  })
  it('is set aside without being taken', async () => {
    const { page, asked, press } = await waiting({ [`${PLACE}/set-aside`]: () => ARRIVED })
    await press('Set aside')
    expect(asked.map((each) => each.path)).toEqual(['/api/deliveries/9/answers/4/set-aside'])
    expect(page.emitted('applied')).toHaveLength(1)
  })
  it('says why it could not be read, and stays', async () => {
    const { page, press } = await waiting({})
    await press('Look at it')
    expect(page.find('.btn.main').exists()).toBe(false)
    expect(page.text()).toContain('east.xlsx')
  })
})
