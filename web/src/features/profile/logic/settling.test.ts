import { flushPromises } from '@vue/test-utils'
import { describe, expect, it } from 'vitest'
import type { Listed } from './findings'
import { useSettling } from './settling'

const finding = (id: string) => ({ state: 'open', finding: { id } }) as unknown as Listed
const [A, B, C] = ['a', 'b', 'c'].map(finding) as [Listed, Listed, Listed]

/** Answers come when the test gives them. */
function settling(leaves = true) {
  const asked: { what: string; ids: string[]; answer: () => void; refuse: () => void }[] = []
  const shown: (string | undefined)[] = []
  const decide = {
    mutateAsync: ({ what, ids }: { what: string; ids: string[] }) =>
      new Promise<void>((resolve, reject) =>
        asked.push({ what, ids, answer: resolve, refuse: () => reject(new Error('refused')) }),
      ),
  }
  const made = useSettling(
    decide as never,
    () => (leaves ? [A, B, C] : undefined),
    (id) => shown.push(id),
  )
  return { ...made, asked, shown }
}

describe('deciding on findings one after the other', () => {
  it('shows the next at once, and asks in the order decided', async () => {
    const { settle, asked, shown, isInHand } = settling()
    settle('accept', A)
    settle('dismiss', B)
    expect(shown).toEqual(['b', 'c'])
    await flushPromises()
    expect(asked.map(({ ids }) => ids)).toEqual([['a']])
    expect([isInHand(A), isInHand(B), isInHand(C)]).toEqual([true, true, false])
    asked[0]!.answer()
    await flushPromises()
    expect(asked.map(({ what, ids }) => [what, ...ids])).toEqual([
      ['accept', 'a'],
      ['dismiss', 'b'],
    ])
    expect([isInHand(A), isInHand(B)]).toEqual([false, true])
  })
  it('shows again what was refused, and goes on with the others', async () => {
    const { settle, asked, shown, last } = settling()
    settle('accept', A)
    settle('accept', B)
    await flushPromises()
    asked[0]!.refuse()
    await flushPromises()
    expect(shown.at(-1)).toBe('a')
    asked[1]!.answer()
    await flushPromises()
    expect(last.value).toEqual(B)
  })
  it('stays where it is when nothing leaves the list, also when refused', async () => {
    const { settle, asked, shown } = settling(false)
    settle('accept', A)
    await flushPromises()
    asked[0]!.refuse()
    await flushPromises()
    expect(shown).toEqual([])
  })
  it('takes back the last one, once it is decided, and once only', async () => {
    const { settle, undo, asked, last } = settling()
    settle('dismiss', A)
    undo()
    await flushPromises()
    expect(asked).toHaveLength(1)
    asked[0]!.answer()
    await flushPromises()
    expect(asked.map(({ what, ids }) => [what, ...ids])).toEqual([
      ['dismiss', 'a'],
      ['reopen', 'a'],
    ])
    asked[1]!.answer()
    await flushPromises()
    expect(last.value).toBeUndefined()
    undo()
    await flushPromises()
    expect(asked).toHaveLength(2)
  })
})
