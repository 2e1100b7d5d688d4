import { answering, shown } from '@/testing/page'
import { flushPromises } from '@vue/test-utils'
import { afterEach, expect, it, vi } from 'vitest'
import { fitting, grouped, isGroup, type Feed } from './logic/board'
import FeedsPage from './pages/FeedsPage.vue'

const feed = (name: string, owner: string, waiting = '', supplier = ''): Feed => ({
  slug: name.toLowerCase(), name, owner, supplier, waiting, about: '', columns: [], deliveries: [], expected: null, is_late: false,
}) // prettier-ignore
const FEEDS = [
  feed('Tanks', 'R. Tessen', 'delivery 3 is new'),
  feed('Pumps', 'I. Marlo', 'a delivery is late', 'Water office'),
  feed('Rain', 'R. Tessen'),
  feed('Sites', ''),
]
const names = (feeds: Feed[]) => feeds.map((each) => each.name)

afterEach(() => {
  vi.unstubAllGlobals()
  document.body.innerHTML = ''
})

it.each([
  ['', false, ['Tanks', 'Pumps', 'Rain', 'Sites']],
  ['', true, ['Tanks', 'Pumps']],
  ['tessen', false, ['Tanks', 'Rain']],
  [' office  PUMPS', true, ['Pumps']],
  ['zebra', false, []],
])('“%s”, waiting only %s', (search, waiting, expected) =>
  expect(names(fitting(FEEDS, search, waiting))).toEqual(expected),
)

it('groups stand in the order of their first feed, and what has none stands together', () => {
  expect(grouped(FEEDS, 'owner').map((each) => [each.name, ...names(each.feeds)])).toEqual([
    ['R. Tessen', 'Tanks', 'Rain'],
    ['I. Marlo', 'Pumps'],
    ['no owner', 'Sites'],
  ])
  expect(grouped(FEEDS, '')).toEqual([{ name: '', feeds: FEEDS }])
  expect([isGroup('owner'), isGroup('supplier'), isGroup('constructor'), isGroup(undefined)]).toEqual([
    true,
    true,
    false,
    false,
  ])
})

it('the board keeps in the address what is looked at', async () => {
  answering({
    'GET /api/session': () => ({ username: 'x', name: 'X', roles: ['viewer'] }),
    'GET /api/jobs': () => ({ newest: 0, jobs: [] }),
    'GET /api/feeds': () => FEEDS,
  })
  const page = await shown(FeedsPage, {}, '/?group=owner')
  await flushPromises()
  const rows = () => page.findAll('.board tbody tr').map((row) => row.find('th, b').text())
  expect(rows()).toEqual(['R. Tessen 2', 'Tanks', 'Rain', 'I. Marlo 1', 'Pumps', 'no owner 1', 'Sites'])
  await page.find('input[type=checkbox]').setValue(true)
  await flushPromises()
  expect(rows()).toEqual(['R. Tessen 1', 'Tanks', 'I. Marlo 1', 'Pumps'])
  await page.find('#board-group').setValue('')
  await flushPromises()
  expect(rows()).toEqual(['Tanks', 'Pumps'])
  await page.find('#find-feed').setValue('zebra')
  await flushPromises()
  expect(page.text()).toContain('No feed fits.')
})
