import { Problem } from '@/api/client'
import { QueryClient } from '@tanstack/vue-query'
import { mount } from '@vue/test-utils'
import { expect, it, vi } from 'vitest'
import { defineComponent, h } from 'vue'
import { passes, pause, useOutage } from './outage'

it('what passes by itself is told from what does not', () => {
  expect(passes(new Problem(503, 'The database is not reachable', ''))).toBe(true)
  expect(passes(new Problem(0, 'No connection', ''))).toBe(true)
  for (const other of [new Problem(404, '', ''), new Problem(500, '', ''), new Error('x'), undefined])
    expect(passes(other)).toBe(false)
  expect([0, 1, 2, 3, 9].map(pause)).toEqual([500, 1000, 2000, 4000, 4000])
})

it('an outage is said while it lasts, and no longer', async () => {
  const client = new QueryClient({ defaultOptions: { queries: { retry: 3, retryDelay: 20 } } })
  const Page = defineComponent({
    setup() {
      const outage = useOutage(client)
      return () => h('p', outage.value)
    },
  })
  const page = mount(Page)
  const ask = vi
    .fn<() => Promise<string>>()
    .mockRejectedValueOnce(new Problem(503, 'The database is not reachable', ''))
    .mockResolvedValue('there')
  const answer = client.fetchQuery({ queryKey: ['x'], queryFn: ask, retry: 3, retryDelay: 300 })
  await vi.waitFor(() => expect(page.text()).toBe('The database is not reachable, trying again …'))
  expect(await answer).toBe('there')
  await vi.waitFor(() => expect(page.text()).toBe(''))
})
