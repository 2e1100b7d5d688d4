import { describe, expect, it } from 'vitest'
import { factsOf, isChanged, sharesOf, word } from './compare'

type Change = Parameters<typeof word>[0]
type Column = NonNullable<Change['first']>
const column = (more: object = {}) =>
  ({
    type: 'decimal',
    misfits: 0,
    missing: 4,
    kinds: {},
    numbers: null,
    dates: null,
    text: null,
    ...more,
  }) as unknown as Column
const change = (more: object) =>
  ({ first: column(), second: column(), stability: 0, ...more }) as unknown as Change

describe('a column of two tables', () => {
  it.each([
    [{ stability: 0 }, 'alike', false],
    [{ stability: 0.09 }, 'steady', false],
    [{ stability: 0.1 }, 'shifted', true],
    [{ stability: 0.249 }, 'shifted', true],
    [{ stability: 0.25 }, 'changed', true],
    [{ first: null, stability: null }, 'only after', true],
    [{ second: null, stability: null }, 'only before', true],
  ])('%o is %s', (more, said, asks) => {
    expect(word(change(more), ['before', 'after'])).toBe(said)
    expect(isChanged(change(more))).toBe(asks)
  })
  it('has the measures told that one side has at least', () => {
    const numbers = { minimum: '1', median: 2.5, mean: 3, maximum: '1234567.8', standard_deviation: 1 }
    const facts = factsOf(change({ first: column({ numbers }), second: column({ type: 'text', text: { longest: 9 } }) }))
    expect(facts).toContainEqual(['type', 'decimal', 'text'])
    expect(facts).toContainEqual(['maximum', '1,234,567.8', ''])
    expect(facts).toContainEqual(['longest text', '', '9'])
    expect(facts.map(([label]) => label)).not.toContain('first')
  }) // prettier-ignore
  it('has its classes drawn as shares of either table, against the largest of all', () => {
    const classes = [{ label: 'a', first: 50, second: 10 }, { label: 'b', first: 0, second: 190 }] // prettier-ignore
    const { shares, most } = sharesOf(classes as never, [100, 200])
    expect(shares).toEqual([[0.5, 0.05], [0, 0.95]]) // prettier-ignore
    expect(most).toBe(0.95)
    expect(sharesOf(classes as never, [0, 0]).most).toBe(190) // a table without records divides by nothing
    expect(sharesOf([], [1, 1]).most).toBe(0.001)
  })
})
