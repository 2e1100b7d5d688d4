import { expect, it } from 'vitest'
import { changeWords, type Edit, fillerOf, leftOut, withEdit, withFiller, withName } from './matching'

const source = {
  id: 1,
  name: 'north.csv',
  records: 2,
  left_out: false,
  names: ['Probe', 'Wert', 'Bemerkung'],
  columns: ['sample', 'Wert', null],
  facts: {},
  source_column: '',
  examples: ['', '', ''],
}
const none: Edit = { columns: {}, facts: {} }

it('a column is filled by another delivered one, and the former is left out', () => {
  expect([fillerOf(source, 'sample'), fillerOf(source, 'value')]).toEqual(['Probe', ''])
  const edit = withFiller(source, none, 'value', 'Wert')
  expect(fillerOf(source, 'value', edit)).toBe('Wert')
  const again = withFiller(source, edit, 'value', 'Bemerkung')
  expect(again.columns).toEqual({ Wert: null, Bemerkung: 'value' })
  expect(leftOut(source, again)).toEqual(['Wert'])
  expect(leftOut(source)).toEqual(['Bemerkung'])
})

it('a column gets another name wherever it comes from', () => {
  expect(withName(source, none, 'sample', 'sample_no').columns).toEqual({ Probe: 'sample_no' })
  const lab = { ...source, facts: { lab: 'N' }, source_column: 'from' }
  expect(withName(lab, none, 'lab', 'laboratory').facts).toEqual({ lab: '', laboratory: 'N' })
  expect(withName(lab, none, 'from', 'origin').source_column).toBe('origin')
})

it('an edit goes into the import settings without losing what is there', () => {
  const request = { delimiter: ';', columns: { Probe: 'sample' }, facts: { lab: 'N' } }
  expect(withEdit(request, { columns: { Wert: 'value' }, facts: { lab: '', team: 'x' } })).toEqual({
    delimiter: ';',
    columns: { Probe: 'sample', Wert: 'value' },
    facts: { team: 'x' },
  })
})

it('changes are said in words', () => {
  const change = {
    id: 1,
    source: 1,
    source_name: 'n.csv',
    kind: 'renamed',
    name: 'Wert',
    column: 'value',
    evidence: '',
    choices: [],
    choice: '',
    target: '',
  }
  expect(changeWords(change)).toBe('Wert in n.csv seems to be value')
})
