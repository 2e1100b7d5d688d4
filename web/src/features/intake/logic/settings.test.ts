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

const field = (name: string) => FIELDS.find((one) => one.name === name)!

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

it('a format has its own settings; what was chosen stays in sight', () => {
  const names = fieldsOf('workbook', { totals_line: true }, false).map((one) => one.name)
  expect(names).toEqual(['format', 'cells', 'header_rows', 'shown', 'fill_merged', 'totals_line'])
  expect(fieldsOf('parquet', {}, true).map((one) => one.name)).toEqual(['format', 'names'])
})

it('raw lines are cut by delimiter or borders, their ends drawn', () => {
  expect(lineParts('a||b\r\n', '||')).toEqual({ cells: ['a', 'b'], end: '←↵' })
  expect(lineParts('ab cd\n', '', [3])).toEqual({ cells: ['ab ', 'cd'], end: '↵' })
  expect([letters(0), letters(25), letters(26), letters(16383)]).toEqual(['A', 'Z', 'AA', 'XFD'])
})
