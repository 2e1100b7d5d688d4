/**
 * Scrolling over more rows than a browser can be high. The physical height is capped; small scrolls are exact to
 * the pixel, large ones proportional.
 */
import { computed, ref, shallowRef, type Ref } from 'vue'

export const CAP = 12_000_000

export function useBigScroll(total: Ref<number>, rowHeight: number, cap = CAP) {
  const virtual = computed(() => total.value * rowHeight)
  const height = computed(() => Math.min(virtual.value, cap))
  const pageHeight = computed(() => height.value / 100)
  const pages = computed(() =>
    virtual.value > height.value ? Math.ceil(virtual.value / pageHeight.value) : 1,
  )
  const jump = computed(() => (pages.value > 1 ? (virtual.value - height.value) / (pages.value - 1) : 0))
  const viewport = ref(400)
  const offset = ref(0)
  const top = ref(0)
  const element = shallowRef<HTMLElement>()
  let previous = 0
  let page = 0

  function onScroll(): void {
    const at = element.value?.scrollTop ?? 0
    const moved = Math.abs(at - previous)
    if (!moved) return
    if (pages.value === 1) {
      offset.value = 0
    } else if (moved < viewport.value) {
      const place = at + offset.value
      const target = Math.min(pages.value - 1, Math.floor(place / pageHeight.value))
      if (target !== page) {
        page = target
        const moveTo = Math.round(page * jump.value)
        if (moveTo !== offset.value) {
          offset.value = moveTo
          previous = place - moveTo
          if (element.value) element.value.scrollTop = previous
          top.value = place
          return
        }
      }
    } else {
      const ratio = (virtual.value - viewport.value) / (height.value - viewport.value)
      page = Math.min(pages.value - 1, Math.floor((at * ratio) / pageHeight.value))
      offset.value = Math.round(page * jump.value)
    }
    previous = at
    top.value = at + offset.value
  }

  /** Bring a row (from 0) to the top of the view, or as near as the end allows. */
  function scrollToRow(row: number): void {
    const place = Math.max(0, Math.min(row * rowHeight, virtual.value - viewport.value))
    page = Math.min(pages.value - 1, Math.floor(place / (pageHeight.value || 1)))
    offset.value = pages.value > 1 ? Math.round(page * jump.value) : 0
    top.value = place
    previous = place - offset.value
    if (element.value) {
      element.value.scrollTop = previous
      previous = element.value.scrollTop
    }
  }

  /** Forget the place, e.g. when other rows are shown. */
  function reset(): void {
    offset.value = top.value = previous = page = 0
    if (element.value) element.value.scrollTop = 0
  }

  const first = computed(() => Math.max(0, Math.floor(top.value / rowHeight) - 4))
  const last = computed(() =>
    Math.min(total.value - 1, Math.ceil((top.value + viewport.value) / rowHeight) + 4),
  )
  return { element, height, viewport, offset, top, first, last, onScroll, scrollToRow, reset }
}
