import { expect, it } from 'vitest'
import { doubtsBySetting, readingsOf, settingOf } from './doubts'

it('values that read a line alike stand together', () => {
  expect(readingsOf({ cp1252: '5 €', latin: '5 x', other: '5 €' })).toEqual([
    { names: ['cp1252', 'other'], text: '5 €' },
    { names: ['latin'], text: '5 x' },
  ])
})

it('doubts are told by setting, the encoding last, each with words for its values', () => {
  const doubts: { line: number; about: string; readings: Record<string, string> }[] = [
    { line: 2, about: 'encoding', readings: { 'utf-8': 'é', cp1252: 'Ã©' } },
    { line: 1, about: 'header_rows', readings: { '1': 'names', '0': 'a record' } },
    { line: 3, about: 'escape', readings: { '\\': 'a', '': 'b' } },
    { line: 4, about: 'spaced_quotes', readings: { true: 'a', false: 'b' } },
    { line: 5, about: 'trailing_delimiter', readings: { true: 'a', false: 'b' } },
    { line: 6, about: 'quote', readings: { '"': 'a', '': 'b' } },
  ]
  const groups = doubtsBySetting(doubts)
  expect(groups.map((group) => group.about).at(-1)).toBe('encoding')
  expect(groups).toHaveLength(6)
  for (const group of groups) {
    const words = Object.keys(group.doubts[0]!.readings).map((name) => group.word(name))
    expect(new Set(words).size).toBe(2)
    expect(group.says('1 line')).not.toContain('undefined')
  }
  expect(doubtsBySetting([])).toEqual([])
})

it('a reading that is chosen becomes the value of its setting', () => {
  expect(settingOf('header_rows', '0')).toBe(0)
  expect(settingOf('spaced_quotes', 'false')).toBe(false)
  expect(settingOf('trailing_delimiter', 'true')).toBe(true)
  expect(settingOf('escape', '\\')).toBe('\\')
  expect(settingOf('encoding', 'cp1252')).toBe('cp1252')
})
