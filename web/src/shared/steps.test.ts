import { mount } from '@vue/test-utils'
import { describe, expect, it, vi } from 'vitest'
import { defineComponent, h, nextTick, ref } from 'vue'
import { keepInSight } from './sight'
import { further } from './steps'

describe('what stands further in a list', () => {
  it.each([
    ['b', 1, 'c'],
    ['b', -1, 'a'],
    ['c', 1, 'c'],
    ['a', -3, 'a'],
    [undefined, 1, 'a'],
    [undefined, -1, 'a'],
  ])('from %s by %i', (from, by, expected) => {
    expect(further(['a', 'b', 'c'], from, by)).toBe(expected)
  })
  it('is nothing in an empty list', () => {
    expect(further([], undefined, 1)).toBeUndefined()
  })
})

describe('the chosen line of a list', () => {
  it('is brought in sight when another is chosen, and only then', async () => {
    const chosen = ref('a')
    const other = ref(0)
    const List = defineComponent(() => {
      const list = ref<HTMLElement>()
      keepInSight(list, () => chosen.value)
      return () =>
        h('ul', { ref: list, title: String(other.value) }, ['a', 'b'].map((name) => h('li', { class: { on: name === chosen.value } }, name)))
    }) // prettier-ignore
    const list = mount(List)
    const seen: string[] = []
    for (const line of list.findAll('li'))
      vi.spyOn(line.element, 'scrollIntoView').mockImplementation(() => void seen.push(line.text()))
    chosen.value = 'b'
    await nextTick()
    await nextTick()
    expect(seen).toEqual(['b'])
    other.value = 1
    await nextTick()
    await nextTick()
    expect(seen).toEqual(['b'])
  })
})
