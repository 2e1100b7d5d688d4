import { answering, shown } from '@/testing/page'
import { flushPromises, type VueWrapper } from '@vue/test-utils'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { ruleOf, waysOf } from '../logic/byExample'
import ByExample from './ByExample.vue'

const row = (record: number, value: string, result: string | null) => ({
  record,
  times: 2,
  values: [value],
  result,
})
const formula = (text: string, ...results: (string | null)[]) => ({
  formula: text, columns: ['unit'], different: 3, untreated: results.filter((result) => result === null).length,
  rows: ['M', 'K', '-'].map((value, at) => row(at + 1, value, results[at] ?? null)), untreated_rows: [],
}) // prettier-ignore
const list = { column: 'unit', code_list: 'Units', table: '', key: '', take: '', different: 3, untreated: 1,
  rows: [row(1, 'M', 'metre'), row(2, 'K', 'kilometre'), row(3, '-', null)] } // prettier-ignore
const table = { ...list, code_list: '', table: 'Rivers', key: 'code', take: 'river' }
const first = formula('lower(unit)', 'm', 'k', '-')
const second = formula("nullif(lower(unit), '-')", 'm', 'k', null)
const question = { record: 3, times: 2, values: ['-'], results: ['-', null] }
interface Asked { wanted: { record: number; result: string | null }[]; search: string; records: number[] } // prettier-ignore
let asked: Asked[] = []
let lookups: unknown[] = []

beforeEach(() => {
  vi.useFakeTimers({ toFake: ['setTimeout', 'clearTimeout'] })
  asked = []
  lookups = []
  answering({
    'POST /api/deliveries/9/examples': ({ body }) => {
      const said = body as Asked
      asked.push(said)
      const records = said.search === 'none' ? [] : ['M', 'K', '-'].map((cell, at) => ({ record: at + 1, cells: [cell] }))
      return { columns: ['unit'], candidates: [first, second], questions: [question], lookups, looked_at: ['unit'], records }
    }, // prettier-ignore
  })
})
afterEach(() => {
  vi.useRealTimers()
  vi.unstubAllGlobals()
})

async function wait(): Promise<void> {
  await vi.advanceTimersByTimeAsync(500)
  await flushPromises()
}
async function page(): Promise<VueWrapper> {
  const result = await shown(ByExample, { delivery: 9, rules: [], columns: ['unit', 'site'], column: 'unit' })
  await wait()
  return result
}
async function type(at: VueWrapper, record: number, text: string): Promise<void> {
  await at.get(`[aria-label="Wanted for record ${record}"]`).setValue(text)
  await wait()
}
const last = () => asked[asked.length - 1]

describe('by example', () => {
  it('asks for what was typed, and shows what each way gives', async () => {
    const at = await page()
    expect(at.findAll('[name=candidate]')).toHaveLength(0)
    await type(at, 1, 'm')
    expect(last()?.wanted).toEqual([{ record: 1, result: 'm' }])
    expect(at.findAll('code').map((code) => code.text())).toEqual([first.formula, second.formula])
    expect(at.get('[aria-label=Results]').text()).toContain('k')
    await at.findAll('[name=candidate]')[1]?.setValue(true)
    expect(at.text()).toContain('gives nothing for 1 value')
    await at.get('form').trigger('submit')
    expect(at.emitted('make')).toEqual([
      [{ kind: 'compute', columns: ['unit_new'], formula: second.formula }],
    ])
  })
  it('takes “no value” as a result, and takes it back', async () => {
    const at = await page()
    const button = () => at.get('[aria-label="No value is wanted for record 3"]')
    await button().trigger('click')
    await wait()
    expect(last()?.wanted).toEqual([{ record: 3, result: null }])
    expect(button().attributes('aria-pressed')).toBe('true')
    await button().trigger('click')
    await wait()
    expect(last()?.wanted).toEqual([])
  })
  it('makes an example of an answer to a doubt, also of “no value”', async () => {
    const at = await page()
    await type(at, 1, 'm')
    const doubts = at.get('[aria-label="Where formulas disagree"]')
    expect(doubts.findAll('button').map((button) => button.text())).toEqual(['-', 'no value'])
    await doubts.findAll('button')[1]?.trigger('click')
    await wait()
    expect(last()?.wanted).toEqual([{ record: 1, result: 'm' }, { record: 3, result: null }]) // prettier-ignore
    expect(last()?.records).toEqual([3])
  })
  it('searches for other records and says when there is none', async () => {
    const at = await page()
    await at.get('#example-search').setValue('none')
    await wait()
    expect(last()?.search).toBe('none')
    expect(at.text()).toContain('No other record holds “none”.')
  })
  it('takes a record of the results as an example', async () => {
    const at = await page()
    await type(at, 1, 'm')
    await at.get('[aria-label="Correct the result of record 2"]').trigger('click')
    await wait()
    expect(last()?.records).toEqual([2])
  })
  it('offers the library first, and becomes the rule that looks there', async () => {
    lookups = [list, table]
    const at = await page()
    await type(at, 1, 'metre')
    const offered = at.findAll('.candidate').map((line) => line.text().replace(/\s+/g, ' '))
    expect(offered[0]).toContain('Map unit by the code list Units')
    expect(offered[1]).toContain('Look up river in Rivers, where code is unit')
    await at.get('form').trigger('submit')
    expect(at.emitted('make')).toEqual([
      [{ kind: 'translate', columns: ['unit'], code_list: 'Units', others: 'keep' }],
    ])
  })
})

describe('ways', () => {
  it('are told apart by what they look into, and untreated values come first', () => {
    const ways = waysOf(
      {
        lookups: [list, table],
        candidates: [{ ...second, untreated_rows: [row(3, '-', null)] }],
      },
      false,
    )
    expect(new Set(ways.map(({ key }) => key)).size).toBe(3)
    expect(ways[2]?.rows[0]?.values).toEqual(['-'])
  })
  it('of a code list keep what it does not hold, unless no value is wanted there', () => {
    const way = (nothing: boolean) => waysOf({ lookups: [list], candidates: [] }, nothing)[0]!
    expect(way(false).rows.map(({ result }) => result)).toEqual(['metre', 'kilometre', '-'])
    expect(way(true).rows.map(({ result }) => result)).toEqual(['metre', 'kilometre', null])
    expect([ruleOf(way(false), '').others, ruleOf(way(true), '').others]).toEqual(['keep', 'missing'])
  })
  it('of a table match its key with the column', () => {
    expect(ruleOf(waysOf({ lookups: [table], candidates: [] }, false)[0]!, '')).toEqual({
      kind: 'look-up', reference: 'Rivers', keys: [{ code: 'unit', meaning: 'code' }], take: ['river'],
    }) // prettier-ignore
  })
})
