import { describe, expect, it } from 'vitest'
import { blankRule, codesAsText, codesFrom, fieldsOf, optionsOf } from './fields'
import { inText } from '../widgets/completion'
import { asked } from './asking'
import { difference } from './difference'
import { freshId, moved, rulesAbove, withDraft, type Rule } from './rulebook'

const kind = {
  kind: 'in-range',
  title: 'Lies between',
  group: 'Per record',
  about: '',
  is_check: true,
  reads_types: false,
  repairs_text: false,
  synonyms: [] as string[],
  fields: {
    kind: { const: 'in-range' },
    id: { widget: 'none' },
    note: { title: 'Note', widget: 'note', default: '' },
    consequence: {
      title: 'When it breaks',
      widget: 'choice',
      enum: ['quarantine', 'note', 'stop'],
      labels: { note: 'it is only noted' },
      default: 'quarantine',
    },
    when: { title: 'Only where', widget: 'formula', condition: true, default: '' },
    low: { title: 'Not below', widget: 'bound', default: null },
    columns: { title: 'Columns', widget: 'columns' },
  },
}

describe('rule forms', () => {
  it.each(['columns', 'new column', 'names'])(
    'show columns by their own names, also such as ours (%s)',
    (widget) => {
      const columns = ['note', 'value', 'missing', 'keep', '', ' ', '.', 'ph']
      expect(optionsOf({ widget, choices: [] }, columns)).toEqual(
        columns.map((name) => ({ value: name, label: name })),
      )
    },
  )
  it('call choices as their kind says, others as they are written', () => {
    const choices = [{ value: 'missing', label: 'becomes missing' }]
    expect(optionsOf({ widget: 'several', choices }, ['missing'])).toEqual(choices)
    expect(fieldsOf(kind).find(({ name }) => name === 'consequence')?.choices).toEqual([
      { value: 'quarantine', label: 'quarantine' },
      { value: 'note', label: 'it is only noted' },
      { value: 'stop', label: 'stop' },
    ])
    expect(optionsOf({ widget: 'formats', choices: [] }, ['a']).map(({ label }) => label)).toContain(
      '%d.%m.%Y',
    )
    expect(optionsOf({ widget: 'tokens', choices: [] }, ['a'])).toEqual([])
  })
  it('know a condition from a formula', () => {
    expect(fieldsOf(kind).map(({ name, condition }) => [name, condition])).toContainEqual(['when', true])
    expect(fieldsOf(kind).filter(({ condition }) => condition)).toHaveLength(1)
  })
  it('show columns first, consequence and note last', () => {
    expect(fieldsOf(kind).map((field) => field.name)).toEqual([
      'columns', 'low', 'consequence', 'when', 'note',
    ]) // prettier-ignore
  })
  it('begin with the defaults and the column asked for', () => {
    expect(blankRule(kind, 'in-range-1', 'ph')).toEqual({
      kind: 'in-range', id: 'in-range-1', enabled: true, note: '', columns: ['ph'], low: null, consequence: 'quarantine', when: '',
    }) // prettier-ignore
  })
  it('read code lists as they are pasted', () => {
    const codes = codesFrom('N = North\nS\tSouth\nE,East\n\nW =')
    expect(codes).toEqual([
      { code: 'N', meaning: 'North' },
      { code: 'S', meaning: 'South' },
      { code: 'E', meaning: 'East' },
      { code: 'W', meaning: '' },
    ])
    expect(codesFrom(codesAsText(codes))).toEqual(codes)
  })
})

describe('the rulebook', () => {
  const rules = [false, false, true].map((is_check, i) => ({ is_check, name: `r${i}` }))
  it('moves rules among their own sort only', () => {
    expect(moved(rules, 0, 1).map((rule) => rule.name)).toEqual(['r1', 'r0', 'r2'])
    expect(moved(rules, 1, 1)).toBe(rules)
    expect(moved(rules, 0, -1)).toBe(rules)
  })
  it('gives new rules an id of their own', () => {
    expect(freshId([{ id: 'unique-1' }, { id: 'unique-3' }], 'unique')).toBe('unique-2')
  })
})

describe('what was typed to add a rule', () => {
  const kinds = [
    { ...kind, kind: 'trim-spaces', title: 'Trim spaces', group: 'Text', about: 'Takes spaces away.' },
    {
      ...kind,
      kind: 'date-part',
      title: 'Part of a date',
      group: 'Dates',
      about: 'Writes the year or month.',
    },
    {
      ...kind,
      kind: 'fill',
      title: 'Fill missing values',
      group: 'Missing',
      about: 'Puts in a value.',
      synonyms: ['impute'],
    },
  ]
  const kindFor = (typed: string) => {
    const [first] = asked(typed, kinds, ['laboratory', 'year', 'value_2'])
    return first && [first.kind.kind, first.column]
  }
  it('names a kind and, in words that only a column fits, the column', () => {
    expect(kindFor('trim lab')).toEqual(['trim-spaces', 'laboratory'])
    expect(kindFor('part year')).toEqual(['date-part', 'year'])
    expect(kindFor('fill')).toEqual(['fill', undefined])
    expect(asked('trim nowhere', kinds, ['a'])).toEqual([])
    expect(kindFor('impute lab')).toEqual(['fill', 'laboratory'])
    expect(asked('', kinds, ['a'], 'a').map(({ column }) => column)).toEqual(['a', 'a', 'a'])
  })
  it('means the kind whose title says the words as they were typed', () => {
    const several = {
      ...kind,
      kind: 'several',
      title: 'Replace several texts',
      group: 'Text',
      about: 'A list.',
    }
    const text = { ...kind, kind: 'text', title: 'Replace text', group: 'Text', about: 'One.' }
    const first = (typed: string) => asked(typed, [several, text], ['laboratory'])[0]?.kind.kind
    expect([first('replace text lab'), first('replace several')]).toEqual(['text', 'several'])
  })
})

describe('the difference of two values', () => {
  it('is what stands between a shared beginning and end', () => {
    expect(difference('10-Dec', '10-12')).toEqual({ start: '10-', before: 'Dec', after: '12', end: '' })
    expect(difference('a  b', 'a b')).toEqual({ start: 'a ', before: ' ', after: '', end: 'b' })
    expect(difference('aa', 'a')).toEqual({ start: 'a', before: 'a', after: '', end: '' })
  })
})

describe('a draft', () => {
  const rules = [{ kind: 'to-number', id: 'n', columns: ['ph'] }] as unknown as Rule[]
  const draft = (item: string, column: string) =>
    ({ kind: item, id: 'd', columns: [column] }) as unknown as Rule
  const kinds = [
    { kind: 'to-number', reads_types: true, repairs_text: false },
    { kind: 'trim-spaces', reads_types: false, repairs_text: true },
    { kind: 'in-range', reads_types: false, repairs_text: false },
  ]
  const order = (rule: Rule) => withDraft(rules, rule, kinds).map(({ id }) => id)
  it('that repairs a text comes before what reads it', () => {
    expect(order(draft('trim-spaces', 'ph'))).toEqual(['d', 'n'])
    expect(order(draft('trim-spaces', 'site'))).toEqual(['n', 'd'])
    expect(order(draft('in-range', 'ph'))).toEqual(['n', 'd'])
  })
  it('of a kind that is not known (any more) comes last, and one that is there stays in its place', () => {
    expect(order(draft('unusable', 'ph'))).toEqual(['n', 'd'])
    expect(order({ ...draft('trim-spaces', 'site'), id: 'n' } as Rule)).toEqual(['n'])
  })
})

describe('completion inside a text', () => {
  it('knows the column that the text is compared with', () => {
    expect(inText("site = 'a")).toEqual({ column: 'site', part: 'a', from: 8 })
    expect(inText(`"Site no" in ('x', 'y`)).toEqual({ column: 'Site no', part: 'y', from: 20 })
    expect(inText("site = 'a' and b")).toBeNull()
    expect(inText("upper('a")).toBeNull()
  })
})

it.each([
  ['b', ['a']],
  ['a', []],
  ['new', ['a', 'b', 'c']],
])('above %s stand %j', (id, above) => {
  const rules = ['a', 'b', 'c'].map((each) => ({ id: each }))
  expect(rulesAbove(rules, { id }).map((rule) => rule.id)).toEqual(above)
})
