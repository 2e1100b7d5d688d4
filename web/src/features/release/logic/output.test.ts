import { describe, expect, it } from 'vitest'
import { addressOf, blankForm, moved } from './output'

describe('a file in another form', () => {
  const of = (more: object) => addressOf(4, { ...blankForm(), ...more }, ['a', 'b & c'])

  it.each([
    [{}, '/api/releases/4/data?form=csv'],
    [{ columns: ['a', 'b & c'] }, '/api/releases/4/data?form=csv'],
    [{ columns: ['b & c', 'a'] }, '/api/releases/4/data?form=csv&columns=b+%26+c&columns=a'],
    [{ delimiter: 'semicolon', header: false }, '/api/releases/4/data?form=csv&delimiter=semicolon&header=false'],
    [{ form: 'xlsx', delimiter: 'semicolon' }, '/api/releases/4/data?form=xlsx'],
  ])('%j', (more, address) => expect(of(more)).toBe(address)) // prettier-ignore

  it.each([
    ['b', -1, ['b', 'a', 'c']],
    ['b', 1, ['a', 'c', 'b']],
    ['a', -1, ['a', 'b', 'c']],
    ['c', 1, ['a', 'b', 'c']],
  ])('moves %s by %i', (name, by, expected) => expect(moved(['a', 'b', 'c'], name, by)).toEqual(expected))
})
