import { describe, expect, it } from 'vitest'
import { blankRule, codesAsText, codesFrom, fieldsOf } from './fields'
import { freshId, moved } from './rulebook'

const kind = {
  kind: 'in-range',
  title: 'Lies between',
  group: 'Per record',
  about: '',
  is_check: true,
  fields: {
    kind: { const: 'in-range' },
    id: { widget: 'none' },
    note: { title: 'Note', widget: 'note', default: '' },
    consequence: {
      title: 'When it breaks',
      widget: 'choice',
      enum: ['quarantine', 'note', 'stop'],
      default: 'quarantine',
    },
    low: { title: 'Not below', widget: 'bound', default: null },
    columns: { title: 'Columns', widget: 'columns' },
  },
}

describe('rule forms', () => {
  it('show columns first, consequence and note last', () => {
    expect(fieldsOf(kind).map((field) => field.name)).toEqual(['columns', 'low', 'consequence', 'note'])
  })
  it('begin with the defaults and the column asked for', () => {
    expect(blankRule(kind, 'in-range-1', 'ph')).toEqual({
      kind: 'in-range', id: 'in-range-1', enabled: true, note: '', columns: ['ph'], low: null, consequence: 'quarantine',
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
