import { describe, expect, it } from 'vitest'
import { brief, nextAfter, pressing, type Listed } from './findings'
import { codesOf, type Group } from './variants'

const listed = (id: string, severity = 'high', state = 'open') =>
  ({ finding: { id, severity }, state }) as unknown as Listed

describe('findings', () => {
  it.each([
    ['38 cells turned into dates: “05-Oct”', '38 turned into dates'],
    ['1 cell missing', '1 missing'],
    ['16 records repeat an earlier one in every cell', '16 repeat an earlier one in every cell'],
    ['nothing is filled in', 'nothing is filled in'],
  ])('are said briefly: %s', (says, words) => expect(brief({ says })).toBe(words))

  it('press only while open and not of low severity', () => {
    expect([listed('a'), listed('b', 'low'), listed('c', 'middle', 'accepted')].map(pressing)).toEqual([
      true,
      false,
      false,
    ])
  })

  it('give their place to the next one that is left', () => {
    const shown = ['a', 'b', 'c'].map((id) => listed(id))
    expect(nextAfter(shown, ['b'])).toBe('c')
    expect(nextAfter(shown, ['c'])).toBe('b')
    expect(nextAfter(shown, ['a', 'b', 'c'])).toBeUndefined()
  })
})

describe('codesOf', () => {
  const groups: Group[] = [
    { preferred: 'Harbour', members: [{ value: 'Harbour', count: 9 }, { value: 'harbour', count: 1 }] },
    { preferred: 'Fen', members: [{ value: 'Fen', count: 5 }, { value: 'FEN', count: 2 }] },
  ] // prettier-ignore

  it('takes the chosen groups, with the form that was typed', () => {
    expect(codesOf(groups, new Set([0]), new Map())).toEqual([{ code: 'harbour', meaning: 'Harbour' }])
    expect(codesOf(groups, new Set([1]), new Map([[1, 'East Fen']]))).toEqual([
      { code: 'Fen', meaning: 'East Fen' },
      { code: 'FEN', meaning: 'East Fen' },
    ])
    expect(codesOf(groups, new Set([0]), new Map([[0, ' ']]))).toEqual([])
  })
})
