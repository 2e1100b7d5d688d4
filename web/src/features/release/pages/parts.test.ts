import { answering, shown } from '@/testing/page'
import { flushPromises } from '@vue/test-utils'
import { afterEach, describe, expect, it, vi } from 'vitest'
import HistoryPage from './HistoryPage.vue'
import PartsPage from './PartsPage.vue'

vi.mock('@/features/session', async () => {
  const { ref } = await import('vue')
  return { usePerson: () => ({ mayRelease: ref(true), mayWork: ref(true) }) }
})

const FEED = { slug: 'wells', name: 'Wells', deliveries: [], columns: [] }
const DIVISION = {
  id: 4, number: 1, shares: [{ name: 'train', share: 70 }, { name: 'test', share: 30 }], seed: 's', way: 'groups', column: 'site',
  stratum: '', watched: [], left_out: { target: 'leaks' }, key: [], moments: [], who: 'Ana', at: '2026-11-28T09:00:00Z',
} // prettier-ignore
const REPORT = {
  parts: [{ name: 'train', records: 7, share: 70 }, { name: 'test', records: 2, share: 30 }], without: 1, strata: [], alike: 0,
  watched: [{ name: 'site', values: 0, records: 0, ranges: [] }], release: 2,
} // prettier-ignore

async function opened(component: typeof PartsPage, answers: Record<string, () => unknown>, path: string) {
  const noted = answering({ 'GET /api/feeds/wells': () => FEED, ...answers })
  const page = await shown(component, {}, path)
  const settle = async () => {
    for (let round = 0; round < 5; round += 1) await flushPromises()
  }
  await settle()
  return { page, noted, settle }
}

afterEach(() => {
  vi.unstubAllGlobals()
  document.body.innerHTML = ''
})

describe('parts for modelling', () => {
  const listed = (divisions: object[]) => ({
    'GET /api/feeds/wells/divisions': () => ({
      key: ['well'],
      columns: [
        { name: 'well', type: 'text' },
        { name: 'day', type: 'date' },
      ],
      divisions,
    }),
    'GET /api/divisions/4/report': () => REPORT,
    'POST /api/feeds/wells/divisions': () => DIVISION,
  })

  it('tells what each part holds, what lies in several and what stays out', async () => {
    const { page } = await opened(PartsPage, listed([DIVISION]), '/feeds/wells/parts')
    const rows = page.findAll('tbody tr').map((row) => row.findAll('td').slice(0, 4).map((cell) => cell.text()))
    expect(rows[0]).toEqual(['train', '7', '78 %', '70 %'])
    expect(rows[2]?.slice(0, 2)).toEqual(['all, with a column for the part', '10'])
    expect(page.text()).toContain('1 record lacks site and lies in no part')
    expect(page.text()).toContain('site: no value lies in several parts')
    expect(page.text()).toContain('target stays out: leaks')
    const links = page.findAll('tbody a').map((link) => link.attributes('href'))
    expect(links[0]).toContain('/api/divisions/4/data?part=train&form=csv')
  }) // prettier-ignore

  it('divides by time only over columns with dates, and says what hinders', async () => {
    const { page, noted, settle } = await opened(PartsPage, listed([]), '/feeds/wells/parts')
    expect(page.text()).toContain('not divided yet')
    await page.find('input[value="time"]').setValue(true)
    expect(page.text()).toContain('Choose a column.')
    const column = page.findAll('select')[0]!
    expect(column.findAll('option').map((option) => option.text())).toEqual(['choose', 'day'])
    await column.setValue('day')
    await page.find('form').trigger('submit')
    await settle()
    const sent = noted.find((each) => each.method === 'POST')!.body as Record<string, unknown>
    expect(sent).toMatchObject({ way: 'time', column: 'day', stratum: '' })
    expect(sent.shares).toHaveLength(3)
  })
})

describe('the history of releases', () => {
  const release = (id: number, state: string) => ({
    id, number: id, delivery: 40 + id, delivery_number: id, records: 9, view: 'released.wells', who: 'App', state,
    asked: '2026-11-02T09:00:00Z', published: '2026-11-02T09:00:00Z', replaced_by: null, feed: FEED,
  }) // prettier-ignore
  const line = (id: number, state: string, more: number | null) => ({
    release: release(id, state), bytes: 2048, more, columns: 3, proposed_by: 'Ana', word: 'whole', approval: '',
    withdrawn_why: state === 'withdrawn' ? 'wrong month' : '',
    balance: { delivered: 10, added: 0, ready: 9, corrected: 0, quarantined: 1, removed: 0, rejected: 0 },
  }) // prettier-ignore

  it('compares the two that are chosen, the earlier first; a third takes the place of the first', async () => {
    const lines = [line(3, 'published', -4), line(2, 'withdrawn', 1200), line(1, 'published', null)]
    const { page } = await opened(HistoryPage, { 'GET /api/feeds/wells/releases': () => lines }, '/feeds/wells/history')
    expect(page.text()).toContain('choose two releases')
    expect(page.findAll('tbody tr').map((row) => row.findAll('td')[5]!.text())).toEqual(['−4', '+1,200', ''])
    expect(page.text()).toContain('wrong month')
    const boxes = page.findAll('tbody input')
    await boxes[0]!.trigger('change')
    await boxes[2]!.trigger('change')
    const link = () => page.findAll('header a').map((each) => each.attributes('href')).at(-1)
    expect(link()).toBe('/feeds/wells/changes?before=1&after=3')
    await boxes[1]!.trigger('change')
    expect(link()).toBe('/feeds/wells/changes?before=1&after=2')
  }) // prettier-ignore
})
