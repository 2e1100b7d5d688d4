import { expect, it } from 'vitest'
import { chosen, lineParts, namesFrom } from './settings'

it('settings in words', () => {
  expect(namesFrom(' a, b\nc ')).toEqual(['a', 'b', 'c'])
  expect(namesFrom(' ')).toBeNull()
  expect(chosen({ delimiter: ';', header: null, quote: '' })).toEqual({ delimiter: ';', quote: '' })
  expect(lineParts('a|b\r\n', '|')).toEqual({ cells: ['a', 'b'], end: '␍↵' })
})
