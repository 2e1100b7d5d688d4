import { flushPromises, mount } from '@vue/test-utils'
import { expect, test } from 'vitest'
import { defineComponent, h } from 'vue'
import { createMemoryHistory, createRouter } from 'vue-router'
import { useAddress } from './address'

/** A page at `/?column=a&view=findings` whose guard waits for `open`. */
async function page() {
  const waiting: ((allowed: boolean) => void)[] = []
  const router = createRouter({
    history: createMemoryHistory(),
    routes: ['/', '/elsewhere'].map((path) => ({ path, component: { render: () => h('p') } })),
  })
  await router.push('/?column=a&view=findings')
  router.beforeEach(() => new Promise<boolean>((answer) => waiting.push(answer)))
  let address!: ReturnType<typeof useAddress>
  const component = defineComponent({
    setup: () => {
      address = useAddress()
      return () => h('p', String(address.query.value.column))
    },
  })
  const shown = mount(component, { global: { plugins: [router] } })
  async function open(allowed = true): Promise<void> {
    for (await flushPromises(); waiting.length; await flushPromises()) waiting.shift()!(allowed)
  }
  return { router, address, shown, open }
}

test('two changes in a hurry are both kept', async () => {
  const { router, address, open } = await page()
  address.ask({ column: 'b' })
  address.ask({ finding: 'f7', view: undefined })
  expect(router.currentRoute.value.query).toEqual({ column: 'a', view: 'findings' })
  expect(address.query.value).toEqual({ column: 'b', finding: 'f7' })
  await open()
  expect(router.currentRoute.value.query).toEqual({ column: 'b', finding: 'f7' })
  expect(address.query.value).toEqual({ column: 'b', finding: 'f7' })
})

test('what is asked for is shown before the router is there', async () => {
  const { address, shown, open } = await page()
  address.ask({ column: 'b' })
  await shown.vm.$nextTick()
  expect(shown.text()).toBe('b')
  await open()
  expect(shown.text()).toBe('b')
})

test('a base leaves the rest of the address behind', async () => {
  const { router, address, open } = await page()
  address.ask({ rule: 'r1' }, {})
  await open()
  expect(router.currentRoute.value.query).toEqual({ rule: 'r1' })
})

test('a way that is refused leaves what was there', async () => {
  const { router, address, shown, open } = await page()
  address.ask({ column: 'b' })
  await open(false)
  expect(router.currentRoute.value.query.column).toBe('a')
  expect(shown.text()).toBe('a')
  address.ask({ split: 's' })
  await open()
  expect(router.currentRoute.value.query).toEqual({ column: 'a', view: 'findings', split: 's' })
})

test('who goes elsewhere meanwhile takes nothing along', async () => {
  const { router, address, open } = await page()
  address.ask({ column: 'b' })
  void router.push('/elsewhere?column=z')
  await open()
  expect(router.currentRoute.value.fullPath).toBe('/elsewhere?column=z')
  expect(address.query.value).toEqual({ column: 'z' })
})
