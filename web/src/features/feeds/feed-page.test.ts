import { answering, shown } from '@/testing/page'
import { flushPromises } from '@vue/test-utils'
import { afterEach, expect, it, vi } from 'vitest'
import FeedPage from './pages/FeedPage.vue'

const NEWEST = 30
const delivery = (number: number) => ({
  id: 100 + number, number, feed: { slug: 'water', name: 'Water' }, state: 'read', received: '2026-11-02T06:00:00Z',
  files: 1, release: number % 2 ? 'published' : '', has_run: true, news: 0,
  balance: { delivered: 10 * number, ready: 10 * number, corrected: 0, quarantined: 0, removed: 0, rejected: 0, added: 0 },
}) // prettier-ignore

afterEach(() => vi.unstubAllGlobals())

it('all deliveries of a feed can be reached, the newest first, a page at a time', async () => {
  const asked = answering({
    'GET /api/session': () => ({ username: 'x', name: 'X', roles: ['viewer'] }),
    'GET /api/jobs': () => ({ newest: 0, jobs: [] }),
    'GET /api/feeds/water': () => ({ slug: 'water', name: 'Water', columns: [], deliveries: [] }),
    'GET /api/feeds/water/ways-in': () => ({ folder: 'in', waiting: [], plan: null, uploads: [] }),
    'GET /api/feeds/water/arrival-plan': () => ({ plan: null }),
    'GET /api/feeds/water/policy': () => ({ policy: null }),
    'GET /api/feeds/water/derived-from': () => ({ plan: null }),
    'GET /api/deliveries': ({ query }) => {
      const before = Number(query.get('before') ?? 1000) - 100
      const first = Math.min(NEWEST, before - 1)
      return Array.from({ length: Math.min(Number(query.get('limit')), first) }, (_, at) =>
        delivery(first - at),
      )
    },
  })
  const view = await shown(
    FeedPage,
    { global: { stubs: { ArrivalPlan: true, FeedPolicy: true, MadeFromLine: true, FetchPlan: true } } },
    '/feeds/water',
  )
  await flushPromises()
  const numbers = () => view.findAll('tbody tr').map((row) => Number(row.find('a').text()))
  expect(numbers()).toEqual(Array.from({ length: 12 }, (_, at) => NEWEST - at))
  const more = () => view.findAll('button').find((button) => button.text() === 'Earlier deliveries')
  await more()!.trigger('click')
  await flushPromises()
  expect(numbers()).toEqual(Array.from({ length: NEWEST }, (_, at) => NEWEST - at))
  expect(more()).toBeUndefined()
  const pages = asked.filter((each) => each.path === '/api/deliveries')
  expect(pages.map((each) => each.query.get('feed'))).toEqual(['water', 'water'])
})
