import { mount } from '@vue/test-utils'
import { expect, it } from 'vitest'
import { defineComponent, h, ref } from 'vue'
import { lostEdit, useUnsaved } from './unsaved'

const at = (path: string, query: Record<string, string> = {}) => ({ path, query })

it('edits are asked about while they are there, and only where they would be lost', () => {
  const dirty = ref(false)
  const Editor = defineComponent({
    setup() {
      useUnsaved({
        what: () => 'The rule',
        dirty: () => dirty.value,
        lostBy: (to, from) => to.path !== from.path || to.query.rule !== from.query.rule,
      })
      return () => h('p')
    },
  })
  const page = mount(Editor)
  const here = at('/deliveries/1/rules', { rule: 'a' })
  expect(lostEdit(at('/feeds'), here)).toBeUndefined()
  dirty.value = true
  expect(lostEdit(at('/feeds'), here)?.what()).toBe('The rule')
  expect(lostEdit(at('/deliveries/1/rules', { rule: 'b' }), here)).toBeDefined()
  expect(lostEdit(at('/deliveries/1/rules', { rule: 'a', records: '3' }), here)).toBeUndefined()
  const closing = new Event('beforeunload', { cancelable: true })
  window.dispatchEvent(closing)
  expect(closing.defaultPrevented).toBe(true)
  page.unmount()
  expect(lostEdit(at('/feeds'), here)).toBeUndefined()
})
