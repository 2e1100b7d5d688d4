import { expect, it } from 'vitest'
import {
  chosen,
  entered,
  FIELDS,
  fieldsOf,
  letters,
  lineParts,
  namesFrom,
  numbersFrom,
  worded,
} from './settings'

const field = (name: string) => FIELDS.find((field) => field.name === name)!

it('settings in words', () => {
  expect(namesFrom(' a, b\nc ')).toEqual(['a', 'b', 'c'])
  expect(namesFrom(' ')).toBeNull()
  expect(numbersFrom('8, 3 8;x')).toEqual([3, 8])
  expect(chosen({ delimiter: ';', header_rows: null, quote: '' })).toEqual({ delimiter: ';', quote: '' })
  expect(worded(field('delimiter'), '\t')).toBe('tab')
  expect(worded(field('delimiter'), '||')).toBe('||')
  expect(worded(field('totals_line'), true)).toBe('yes')
})

it('what is typed becomes a request, nothing goes back to detection', () => {
  expect(entered(field('delimiter'), '\\t')).toBe('\t')
  expect(entered(field('quote'), '')).toBe('')
  expect(entered(field('quote'), 'detected')).toBeNull()
  expect(entered(field('header_rows'), '2')).toBe(2)
  expect(entered(field('cells'), '')).toBeNull()
})

const FORMATS = [
  {
    format: 'workbook',
    label: 'workbook',
    about: '',
    first: ['cells', 'header_rows'],
    more: ['totals_line', 'names'],
  },
  { format: 'parquet', label: 'Parquet', about: '', first: [], more: ['names'] },
  { format: 'ropes', label: 'knotted ropes', about: '', first: ['knots_apart', 'encoding'], more: [] },
]

it('a format has its own settings; what was chosen stays in sight', () => {
  const names = fieldsOf(FORMATS, 'workbook', { totals_line: true }, false).map((item) => item.name)
  expect(names).toEqual(['format', 'cells', 'header_rows', 'totals_line'])
  expect(fieldsOf(FORMATS, 'parquet', {}, true).map((item) => item.name)).toEqual(['format', 'names'])
})

it('a format that this program has never heard of has a form too', () => {
  const [format, knots, encoding] = fieldsOf(FORMATS, 'ropes', {}, true)
  expect(format?.options).toContainEqual(['ropes', 'knotted ropes'])
  expect(knots).toEqual({ name: 'knots_apart', label: 'knots apart', kind: 'text' })
  expect(encoding?.label).toBe('Encoding')
  expect(fieldsOf([], 'workbook', {}, true).map((item) => item.name)).toEqual(['format'])
})

it('raw lines are cut by delimiter or borders, their ends drawn', () => {
  expect(lineParts('a||b\r\n', '||')).toEqual({ cells: ['a', 'b'], end: '←↵' })
  expect(lineParts('ab cd\n', '', [3])).toEqual({ cells: ['ab ', 'cd'], end: '↵' })
  expect([letters(0), letters(25), letters(26), letters(16383)]).toEqual(['A', 'Z', 'AA', 'XFD'])
})
