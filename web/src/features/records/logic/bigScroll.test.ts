import { describe, expect, it } from 'vitest'
import { nextTick, ref } from 'vue'
import { useBigScroll } from './bigScroll'

const ROW = 26

/** A scroller with a stand-in element that clamps like a browser. */
function scroller(total: number, cap?: number) {
  const scroll = useBigScroll(ref(total), ROW, cap)
  scroll.viewport.value = 520
  let at = 0
  const element = {
    get scrollTop() {
      return at
    },
    set scrollTop(value: number) {
      at = Math.max(0, Math.min(value, scroll.height.value - scroll.viewport.value))
    },
  }
  scroll.element.value = element as HTMLElement
  return { scroll, element }
}

describe('useBigScroll', () => {
  it('shows the last rows at the end, however many there are', async () => {
    for (const total of [30, 400_000, 5_000_000]) {
      const { scroll, element } = scroller(total)
      element.scrollTop = Number.MAX_SAFE_INTEGER
      scroll.onScroll()
      await nextTick()
      expect(scroll.last.value).toBe(total - 1)
      expect((total - 1) * ROW + ROW - scroll.top.value).toBeLessThanOrEqual(scroll.viewport.value + 1)
    }
  })

  it('moves by as many pixels as are scrolled, also far down', () => {
    const { scroll, element } = scroller(5_000_000)
    scroll.scrollToRow(3_000_000)
    const before = scroll.top.value
    for (let i = 0; i < 50; i += 1) {
      element.scrollTop += 100
      scroll.onScroll()
    }
    expect(Math.abs(scroll.top.value - before - 5_000)).toBeLessThan(2)
  })

  it('brings any row into view', () => {
    const { scroll } = scroller(5_000_000)
    for (const row of [0, 1, 999_999, 4_999_999]) {
      scroll.scrollToRow(row)
      expect(scroll.first.value).toBeLessThanOrEqual(row)
      expect(scroll.last.value).toBeGreaterThanOrEqual(row)
    }
  })
})
