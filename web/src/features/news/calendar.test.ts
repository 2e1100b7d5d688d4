import { answering, shown } from '@/testing/page'
import { flushPromises } from '@vue/test-utils'
import { afterEach, describe, expect, it, vi } from 'vitest'
import { byDay, daysOf, fitting, inWords, isMonth, later, type Entry, type Line } from './logic/calendar'
import CalendarPage from './pages/CalendarPage.vue'

const entry = (day: string, sort: Entry['sort'], number: number | null = null): Entry => ({
  day, sort, at: `${day}T06:00:00Z`, due: `${day}T05:00:00Z`, delivery: number && 100 + number, number, state: number ? 'read' : '',
}) // prettier-ignore
const line = (slug: string, ...entries: Entry[]): Line => ({
  slug, name: `The ${slug}`, supplier: 'Agency', owner: 'M. Arlo', zone: 'UTC', plan: null, after: '', entries,
}) // prettier-ignore

describe('a month', () => {
  it.each([
    ['2026-12', 1, '2027-01'],
    ['2026-01', -1, '2025-12'],
    ['2026-12', -24, '2024-12'],
  ])('%s and %i months is %s', (month, by, expected) => expect(later(month, by)).toBe(expected))
  it.each([
    ['2024-02', 29, 'Thursday'],
    ['2026-02', 28, 'Saturday'],
    ['2026-11', 30, 'Monday'],
  ])('%s has %i days, the last a %s', (month, many, last) => {
    const days = daysOf(month)
    expect(days).toHaveLength(many)
    expect(days.at(-1)).toMatchObject({ day: `${month}-${many}`, of: last, isRest: last === 'Saturday' })
  })
  it.each(['2026-13', '2026-1', 'x', '', undefined, '1889-01'])('%s is none', (text) =>
    expect(isMonth(text)).toBe(false),
  )
  it('is told in words', () =>
    expect([isMonth('2026-12'), inWords('2026-12')]).toEqual([true, 'December 2026']))
})

it('what stands out most on a day stands for it', () => {
  const days = byDay(
    line('x', entry('2026-12-02', 'came', 1), entry('2026-12-02', 'missing'), entry('2026-12-03', 'due')),
  )
  expect([...days].map(([day, all]) => [day, ...all.map((each) => each.sort)])).toEqual([
    ['2026-12-02', 'missing', 'came'],
    ['2026-12-03', 'due'],
  ])
})

it('feeds to which something is missing or came late stand first', () => {
  const lines = [
    line('calm', entry('2026-12-02', 'came', 1)),
    line('late', entry('2026-12-02', 'late', 1)),
    line('gone', entry('2026-12-02', 'missing')),
  ]
  expect(fitting(lines, '', false).map((each) => each.slug)).toEqual(['late', 'gone', 'calm'])
  expect(fitting(lines, '', true).map((each) => each.slug)).toEqual(['late', 'gone'])
  expect(fitting(lines, ' CALM', false).map((each) => each.slug)).toEqual(['calm'])
  expect(fitting(lines, 'agency', false)).toHaveLength(3)
})

describe('the calendar', () => {
  afterEach(() => {
    vi.unstubAllGlobals()
    document.body.innerHTML = ''
  })
  async function page(lines: Line[], address = '/?month=2026-12') {
    const asked = answering({
      'GET /api/session': () => ({ username: 'x', name: 'X', roles: ['viewer'] }),
      'GET /api/calendar': () => lines,
    })
    const view = await shown(CalendarPage, {}, address)
    await flushPromises()
    return { view, asked }
  }
  const press = async (...keys: string[]) => {
    for (const key of keys) {
      window.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true }))
      await flushPromises()
    }
  }
  const two = [
    line('rain', entry('2026-12-01', 'came', 7), entry('2026-12-04', 'again', 8), entry('2026-12-31', 'due')),
    line('permits', entry('2026-12-04', 'missing')),
  ]
  it('asks for the days of the month that is shown, on the clock of who looks', async () => {
    const { asked } = await page(two, '/?month=2027-02')
    const query = asked.find((each) => each.path === '/api/calendar')!.query
    expect([query.get('first'), query.get('days')]).toEqual(['2027-02-01', '28'])
    expect(query.get('zone')).toBe(Intl.DateTimeFormat().resolvedOptions().timeZone)
  })
  it('says on each day what stands there, and on the sheet with the doors', async () => {
    const { view } = await page(two)
    expect(view.findAll('td.day button').map((each) => each.attributes('aria-label'))).toEqual([
      '2026-12-04: a delivery is missing',
      '2026-12-01: delivery 7 came',
      '2026-12-04: delivery 8 came again',
      '2026-12-31: a delivery is expected',
    ])
    expect(view.find('aside h2').text()).toBe('The permits')
    await press('j')
    expect(view.find('aside h2').text()).toBe('The rain')
    expect(view.findAll('aside td a').map((each) => each.attributes('href'))).toEqual([
      '/deliveries/107/new',
      '/deliveries/108/new',
    ])
    await press('j', 'k')
    expect(view.find('aside h2').text()).toBe('The permits')
  })
  it('goes from day to day and from month to month by keys', async () => {
    const { view } = await page(two)
    const at = () => view.find('aside tr.on td').exists() && view.find('aside tr.on td').text()
    await press('j', 'ArrowRight')
    expect(at()).toBe('2026-12-01')
    await press('ArrowRight', 'ArrowRight', 'ArrowRight')
    expect(at()).toBe('2026-12-31')
    await press('ArrowLeft')
    expect(at()).toBe('2026-12-04')
    await press(']')
    expect(view.find('.month').text()).toBe('January 2027')
    await press('[', '[')
    expect(view.find('.month').text()).toBe('November 2026')
  })
  it('says where nothing is, and where nothing fits', async () => {
    expect((await page([])).view.text()).toContain('Nothing came in this month, and no feed has a plan')
    expect((await page(two, '/?month=2026-12&search=zebra')).view.text()).toContain(
      'No feed of this month fits',
    )
  })
})
