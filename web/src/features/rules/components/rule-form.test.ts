import type { Schemas } from '@/api/client'
import { answering, shown } from '@/testing/page'
import { flushPromises, type VueWrapper } from '@vue/test-utils'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { numberOf, type Field } from '../logic/fields'
import RuleField from './RuleField.vue'
import RuleForm from './RuleForm.vue'

const rule = { kind: 'k', id: 'k-1', enabled: true, note: '', columns: [] }
const given = { columns: ['site', 'ph'], disabled: false, delivery: 9, rules: [] }
const field = (more: Partial<Field>): Field => ({
  name: 'it', title: 'It', widget: 'text', choices: [], empty: '', condition: false, initial: '', shownFor: {}, valuesOf: '', seldom: false, ...more,
}) // prettier-ignore

async function one(
  widget: string,
  value: unknown,
  more: Partial<Field> = {},
  of: Record<string, unknown> = {},
) {
  const page = await shown(RuleField, {
    ...given, field: field({ widget, ...more }), value, rule: { ...rule, ...of },
  }) // prettier-ignore
  return { page, said: () => page.emitted('set')?.map(([said]) => said) }
}
async function type(page: VueWrapper, place: string, text: string): Promise<void> {
  const input = page.get(place)
  ;(input.element as HTMLInputElement).value = text
  await input.trigger('input')
  await input.trigger('blur')
}

beforeEach(() => {
  answering({
    'GET /api/library': () => ({
      code_lists: [{ name: 'sites' }], references: [{ name: 'stations', columns: ['code', 'river'] }], parameters: [], shared: [],
    }), // prettier-ignore
  })
})
afterEach(() => vi.unstubAllGlobals())

describe('a number as typed', () => {
  it.each([
    ['7.5', 7.5], ['7,5', 7.5], [' -3 ', -3], ['', null], ['seven', 'seven'], ['1e999', '1e999'],
  ])('%s', (typed, said) => expect(numberOf(typed)).toBe(said)) // prettier-ignore
})

describe('a field of a rule', () => {
  it('offers choices by what they are called and says what they are', async () => {
    const choices = [{ value: 'stop', label: 'the release is stopped' }, { value: 'note', label: 'it is only noted' }] // prettier-ignore
    const { page, said } = await one('choice', 'stop', { choices })
    expect(page.findAll('option').map((option) => option.text())).toEqual([
      'the release is stopped', 'it is only noted',
    ]) // prettier-ignore
    await page.get('select').setValue('note')
    expect(said()).toEqual(['note'])
  })
  it('offers columns, and none where none is needed', async () => {
    const { page, said } = await one('column', '', { empty: 'one value' })
    expect(page.findAll('option').map((option) => option.text())).toEqual(['one value', 'site', 'ph'])
    await page.get('select').setValue('ph')
    expect(said()).toEqual(['ph'])
  })
  it.each([
    ['code list', 'sites'],
    ['reference', 'stations'],
  ])('offers what the library holds (%s)', async (widget, name) => {
    const { page, said } = await one(widget, '')
    await flushPromises()
    expect(page.findAll('option').map((option) => option.text())).toEqual(['choose a table', name])
    await page.get('select').setValue(name)
    expect(said()).toEqual([name])
  })
  it('reads numbers with a comma, and leaves to the answer what is none', async () => {
    const { page, said } = await one('number', null)
    await type(page, 'input', '7,5')
    await type(page, 'input', 'x')
    await type(page, 'input', '')
    expect(said()?.filter((value, at, all) => value !== all[at - 1])).toEqual([7.5, 'x', null])
  })
  it('reads several numbers divided by commas or spaces', async () => {
    const { page, said } = await one('numbers', [4])
    await type(page, 'input', '4, 2;2  10')
    expect(said()).toEqual([[4, 2, 2, 10]])
  })
  it('reads pasted code lists', async () => {
    const { page, said } = await one('codes', [])
    await page.get('textarea').setValue('N = North\nS\tSouth')
    expect(said()).toEqual([[{ code: 'N', meaning: 'North' }, { code: 'S', meaning: 'South' }]]) // prettier-ignore
  })
  it('offers the columns of the other table, and keeps one that is there no longer', async () => {
    const more = { title: 'Where columns match' }
    const { page, said } = await one('key pairs', [{ code: 'site', meaning: 'gone' }], more, {
      reference: 'stations',
    })
    await flushPromises()
    const offered = (label: string) =>
      page.findAll(`[aria-label="${label}"] option`).map((option) => option.text())
    expect(offered('Column 1')).toEqual(['', 'site', 'ph'])
    expect(offered('Is its column 1')).toEqual(['', 'code', 'river', 'gone'])
    await page.get('[aria-label="Is its column 1"]').setValue('code')
    expect(said()).toEqual([[{ code: 'site', meaning: 'code' }]])
    const single = await one('their column', 'gone', { empty: 'no limit' }, { reference: 'stations' })
    await flushPromises()
    expect(single.page.findAll('option').map((option) => option.text())).toEqual([
      'no limit', 'code', 'river', 'gone',
    ]) // prettier-ignore
  })
  it('adds the values of a column to a list of names, each once', async () => {
    const asked = answering({
      'POST /api/deliveries/9/values': () => ({ values: ['no3', 'po4', 'ph'], more: true }),
    })
    const more = { valuesOf: 'names' }
    const { page, said } = await one('names', ['po4'], more, { names: 'analyte' })
    await page.get('button').trigger('click')
    await flushPromises()
    expect(asked).toHaveLength(1)
    expect(said()).toEqual([['po4', 'no3', 'ph']])
    expect(page.get('[role=status]').text()).toBe(
      '2 added. analyte has more than 3 values; these are the first.',
    )
  })
  it('adds, changes and removes rows', async () => {
    const { page, said } = await one('bands', [{ low: 1, high: 2, label: 'few' }], { title: 'Bands' })
    await type(page, '[aria-label="To below 1"]', '2,5')
    await type(page, '[aria-label="From 1"]', '')
    await page.get('[aria-label="Add a row: Bands"]').trigger('click')
    await page.get('[aria-label="Remove row 1"]').trigger('click')
    expect(said()).toEqual([
      [{ low: 1, high: 2.5, label: 'few' }],
      [{ low: null, high: 2, label: 'few' }],
      [{ low: 1, high: 2, label: 'few' }, { low: null, high: null, label: '' }],
      [],
    ]) // prettier-ignore
  })
  it('never loses what is no number in a row', async () => {
    const { page, said } = await one('bands', [{ low: 1, high: 2, label: '' }])
    await type(page, '[aria-label="From 1"]', 'ten')
    expect(said()).toEqual([[{ low: 'ten', high: 2, label: '' }]])
  })
  it('chooses columns by what they are, and by nothing when nothing is said', async () => {
    const { page, said } = await one('columns by', null)
    await page.get('[aria-label="All columns of the type"]').setValue('decimal')
    expect(said()).toEqual([{ type: 'decimal', role: null, like: '' }])
    await page.setProps({ value: { type: 'decimal', role: null, like: '' } })
    await page.get('[aria-label="All columns of the type"]').setValue('')
    expect(said()?.at(-1)).toBeNull()
  })
  it('is not changed by those who may not', async () => {
    for (const widget of ['choice', 'column', 'number', 'codes', 'columns by', 'text']) {
      const page = await shown(RuleField, {
        ...given, disabled: true, field: field({ widget, choices: [{ value: 'a', label: 'a' }] }), value: widget === 'codes' ? [] : null, rule,
      }) // prettier-ignore
      const inputs = page.findAll('input, select, textarea')
      expect(inputs.length).toBeGreaterThan(0)
      expect(inputs.every((input) => (input.element as HTMLInputElement).disabled)).toBe(true)
    }
  })
})

describe('the form of a rule', () => {
  const kind = {
    kind: 'k', title: 'Kind', group: '', about: '', synonyms: [], is_check: false, reads_types: false, repairs_text: false,
    fields: {
      kind: { const: 'k' }, id: { widget: 'none' }, note: { title: 'Note', widget: 'note', default: '' },
      how: { title: 'How', widget: 'choice', enum: ['mark', 'pattern'], default: 'mark' },
      mark: { title: 'Mark', default: ' ', shown_for: { how: ['mark'] } },
      pattern: { title: 'Pattern', default: '', shown_for: { how: ['pattern'] } },
      when: { title: 'Only where', widget: 'formula', condition: true, default: '' },
    },
  } as unknown as Schemas['KindOut'] // prettier-ignore
  const form = (more: object = {}) =>
    shown(RuleForm, {
      ...given, kind, modelValue: { ...rule, how: 'mark', mark: ' ', pattern: '', when: '', ...more },
    }) // prettier-ignore
  const labels = (page: VueWrapper) => page.findAll('label').map((label) => label.text())

  it('shows what belongs to the choice, and what is seldom needed behind a word', async () => {
    const page = await form()
    expect(labels(page)).toEqual(['How', 'Mark', 'Note'])
    await page.get('button.more').trigger('click')
    expect(labels(page)).toEqual(['How', 'Mark', 'Only where', 'Note'])
  })
  it('follows the choice', async () => {
    const page = await form({ how: 'pattern' })
    expect(labels(page)).toEqual(['How', 'Pattern', 'Note'])
    await page.get('select').setValue('mark')
    expect(page.emitted('update:modelValue')?.at(-1)?.[0]).toMatchObject({ how: 'mark', pattern: '' })
  })
  it('shows at once what is seldom needed but filled in', async () => {
    expect(labels(await form({ when: 'ph > 7' }))).toEqual(['How', 'Mark', 'Only where', 'Note'])
  })
})
