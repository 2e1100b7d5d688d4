import { answering, shown } from '@/testing/page'
import { flushPromises } from '@vue/test-utils'
import { afterEach, describe, expect, it, vi } from 'vitest'
import ArrivalPlan from './components/ArrivalPlan.vue'
import { planInWords } from './logic/plan'

const MONTHLY = { every: 'month' as const, on: 2, at: '06:16:00', zone: 'UTC', tolerance: 48 }

it('a plan reads as a sentence', () => {
  expect(planInWords(MONTHLY)).toBe('on day 2 of every month by 06:16 (UTC)')
  expect(planInWords({ ...MONTHLY, on: 31 })).toBe('on the last day of every month by 06:16 (UTC)')
  expect(planInWords({ ...MONTHLY, every: 'week', on: 7 })).toBe('every Sunday by 06:16 (UTC)')
  expect(planInWords({ ...MONTHLY, every: 'weekday' })).toBe('from Monday to Friday by 06:16 (UTC)')
  expect(planInWords({ ...MONTHLY, every: 'day' })).toBe('every day by 06:16 (UTC)')
})

describe('the plan of a feed', () => {
  afterEach(() => {
    vi.unstubAllGlobals()
    document.body.innerHTML = ''
  })
  async function form(told: object, role = 'analyst') {
    const asked = answering({
      'GET /api/session': () => ({ username: 'x', name: 'X', roles: [role] }),
      'GET /api/feeds': () => [
        { slug: 'water', name: 'Water' },
        { slug: 'sites', name: 'Sites' },
      ],
      'GET /api/library': () => ({ code_lists: [{ name: 'rest days' }] }),
      'GET /api/feeds/water/arrival-plan': () => ({
        plan: null,
        holidays: '',
        after: '',
        standing: null,
        learned: null,
        ...told,
      }),
      'PUT /api/feeds/water/arrival-plan': (each) => each.body,
      'DELETE /api/feeds/water/arrival-plan': () => ({}),
    })
    const view = await shown(ArrivalPlan, { slug: 'water' })
    await flushPromises()
    return { view, asked }
  }
  it('is taken over from what arrived, with holidays, and kept', async () => {
    const { view, asked } = await form({ learned: MONTHLY })
    expect(view.text()).toContain('So far they came on day 2 of every month by 06:16 (UTC).')
    await view.find('button.link').trigger('click')
    await view.find('#arrival-holidays').setValue('rest days')
    await view.find('form').trigger('submit')
    await flushPromises()
    expect(asked.find((each) => each.method === 'PUT')?.body).toEqual({
      plan: { ...MONTHLY, at: '06:16' },
      holidays: 'rest days',
      after: '',
    })
  })
  it('says what is expected next, and what is late', async () => {
    const expected = '2026-03-02T06:16:00Z'
    const calm = await form({ plan: MONTHLY, standing: { expected, is_late: false, missing: 0 } })
    expect(calm.view.text()).toContain('The next is expected by 2026-03-02')
    const late = await form({ plan: MONTHLY, standing: { expected, is_late: true, missing: 2 } })
    expect(late.view.find('.late').text()).toContain('2 deliveries missing, the first since 2026-03-02')
  })
  it('may follow another feed', async () => {
    const { view, asked } = await form({})
    await view.find('#arrival-every').setValue('feed')
    await flushPromises()
    expect(view.findAll('#arrival-after option').map((each) => each.text())).toEqual(['Sites']) // not itself
    expect(view.find('#arrival-at').exists() || view.find('#arrival-holidays').exists()).toBe(false)
    await view.find('#arrival-after').setValue('sites')
    await view.find('form').trigger('submit')
    await flushPromises()
    expect(asked.find((each) => each.method === 'PUT')?.body).toMatchObject({
      plan: { every: 'feed' },
      after: 'sites',
    })
  })
  it('says which feed it follows, and that nothing is outstanding', async () => {
    const { view } = await form({
      plan: { ...MONTHLY, every: 'feed' },
      after: 'sites',
      standing: { expected: null, is_late: false, missing: 0 },
    })
    expect(view.find('[role=status]').text()).toContain('Expected after each delivery of Sites')
    expect(view.text()).toContain('All that was expected has come.')
  })
  it('asks for a day only where there is one', async () => {
    const { view } = await form({ plan: { ...MONTHLY, on: 31 } })
    expect(view.find('#arrival-of-month').exists()).toBe(true)
    await view.find('#arrival-every').setValue('week')
    expect(view.find('#arrival-day').exists()).toBe(true)
    expect((view.find('#arrival-day').element as HTMLSelectElement).value).toBe('1') // the 31st is no day of a week
    await view.find('#arrival-every').setValue('weekday')
    expect(view.find('#arrival-day').exists() || view.find('#arrival-of-month').exists()).toBe(false)
  })
  it('is no form for viewers', async () => {
    expect((await form({ plan: MONTHLY }, 'viewer')).view.find('form').exists()).toBe(false)
  })
})
