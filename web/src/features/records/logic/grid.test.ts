import { computed, ref } from 'vue'
import { describe, expect, it } from 'vitest'
import { useGridColumns, widthOf } from './gridColumns'
import { goalOf, within } from './gridKeys'

describe('where a key leads', () => {
  const size = { row: 100, column: 8 }
  it.each([
    ['ArrowDown', false, [51, 3]],
    ['ArrowUp', false, [49, 3]],
    ['ArrowLeft', false, [50, 2]],
    ['ArrowRight', false, [50, 4]],
    ['PageDown', false, [70, 3]],
    ['PageUp', false, [30, 3]],
    ['Home', false, [50, 0]],
    ['End', false, [50, 7]],
    ['Home', true, [0, 0]],
    ['End', true, [99, 7]],
  ])('%s with Ctrl %s', (key, ctrlKey, [row, column]) => {
    expect(goalOf({ key, ctrlKey }, { row: 50, column: 3 }, size, 20)).toEqual({ row, column })
  })
  it('stays within the table, and other keys move nothing', () => {
    expect(goalOf({ key: 'PageDown', ctrlKey: false }, { row: 95, column: 0 }, size, 20)).toEqual({ row: 99, column: 0 })
    expect(goalOf({ key: 'ArrowUp', ctrlKey: false }, { row: 0, column: 0 }, size, 20)).toEqual({ row: 0, column: 0 })
    expect(goalOf({ key: 'c', ctrlKey: true }, { row: 0, column: 0 }, size, 20)).toBeUndefined()
    expect(within({ row: -5, column: 99 }, size)).toEqual({ row: 0, column: 7 })
    expect(within({ row: 3, column: 3 }, { row: 0, column: 0 })).toEqual({ row: 0, column: 0 })
  }) // prettier-ignore
})

describe('the columns of a grid', () => {
  const COLUMNS = ['text', 'decimal', 'date', 'date-time', 'text'].map((type, at) => ({
    name: `c${at}`,
    type,
  }))
  function placed(judged = false) {
    const [fixed, left, wide] = [ref(200), ref(0), ref(400)]
    const made = useGridColumns(() => COLUMNS as never, () => judged, fixed, left, wide)
    return { ...made, left, wide, names: computed(() => made.seen.value.map(({ name }) => name)) }
  } // prettier-ignore
  it.each([
    ['text', 'a', false, 140],
    ['decimal', 'a', false, 110],
    ['date', 'a', false, 110],
    ['date', 'a', true, 196],
    ['date-time', 'a', true, 236],
    ['decimal', 'a name of 18 marks', false, 170],
    ['decimal', 'n'.repeat(80), false, 220],
  ])('are as wide as a %s called %s needs (after a run: %s)', (type, name, judged, width) => {
    expect(widthOf({ name, type }, judged)).toBe(width)
  })
  it('stand beside each other after what stays in view', () => {
    const { seen, all } = placed()
    expect(seen.value.map(({ start }) => start)).toEqual([200, 340, 450, 560])
    expect(all.value).toBe(200 + 140 + 110 + 110 + 150 + 140)
  })
  it('are drawn where they are in view or near it', () => {
    const { names, left, wide } = placed()
    expect(names.value).toEqual(['c0', 'c1', 'c2', 'c3']) // the last begins 10 pixels beyond what is drawn
    wide.value = 410
    expect(names.value).toEqual(['c0', 'c1', 'c2', 'c3', 'c4'])
    left.value = 500
    expect(names.value).toEqual(['c1', 'c2', 'c3', 'c4'])
  })
  it('are scrolled to no further than they must be', () => {
    const { scrollTo, left } = placed()
    expect(scrollTo(0, 400)).toBeUndefined()
    expect(scrollTo(2, 400)).toBe(560 - 400)
    left.value = 300
    expect(scrollTo(0, 400)).toBe(0)
    expect(scrollTo(1, 400)).toBe(140)
    expect(scrollTo(9, 400)).toBeUndefined()
  })
})
