import { answering, shown, type Answers, type Asked } from '@/testing/page'
import { flushPromises } from '@vue/test-utils'
import { afterEach, describe, expect, it, vi } from 'vitest'
import FeedPolicy from './components/FeedPolicy.vue'
import NewsPage from './pages/NewsPage.vue'

const novelty = (id: string, more: object = {}) => ({
  id, kind: 'outside its limits', column: 'level_m', measure: 'mean', weight: 'middle', says: `${id} says`, value: 3, low: 1, high: 2,
  scale: 'value', distance: 2, method: 'plain', past: 12, texts: [], rule: '', answer: '', word: '', by: '', at: null, ...more,
}) // prettier-ignore
const told = (more: object = {}) => ({
  past: 12, needed: 5, judged: 33, changes: 0, news: [], usual: [], findings: [], steps: [], ...more,
}) // prettier-ignore
const line = { column: 'level_m', measure: 'mean', scale: 'value', points: [
  { number: 1, received: '2026-01-02T06:00:00Z', value: 1.5, low: null, high: null, outside: false, expected: false },
  { number: 2, received: '2026-02-02T06:00:00Z', value: 3, low: 1, high: 2, outside: true, expected: false },
] } // prettier-ignore
const roles = (...held: string[]) => ({ username: 'x', name: 'X', roles: held })

afterEach(() => {
  vi.unstubAllGlobals()
  document.body.innerHTML = ''
})

async function page(news: unknown, who: unknown = roles('analyst'), more: Answers = {}) {
  const asked = answering({
    'GET /api/session': () => who,
    'GET /api/deliveries/9': () => ({ id: 9, job: null, last_job: null }),
    'GET /api/deliveries/9/news': () => (typeof news === 'function' ? news() : news),
    'GET /api/deliveries/9/news/a/measure': () => line,
    'GET /api/deliveries/9/news/b/measure': () => line,
    'PUT /api/deliveries/9/news/a': () => ({}),
    'DELETE /api/deliveries/9/news/a': () => ({}),
    ...more,
  })
  const view = await shown(NewsPage, {}, '/deliveries/9/new')
  await flushPromises()
  return { view, asked }
}
const writing = (asked: Asked[]) => asked.filter((each) => each.method !== 'GET')
const press = (key: string) => window.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true }))

describe('what is new in a delivery', () => {
  it('is one quiet line where nothing is', async () => {
    const { view } = await page(told())
    expect(view.text()).toContain('Nothing to answer')
    expect(view.text()).toContain(
      '33 measures were compared with 12 deliveries before; all others are within',
    )
    expect(view.find('aside').exists()).toBe(false)
  })
  it('says how much is known of the past', async () => {
    expect((await page(told({ past: 0, judged: 0 }))).view.text()).toContain('the first delivery of the feed')
    expect((await page(told({ past: 3, judged: 0 }))).view.text()).toContain(
      'Usual limits are known from 5 deliveries on',
    )
  })
  it('shows the heaviest first with its measure, and goes on by keys', async () => {
    const { view } = await page(told({ news: [novelty('a'), novelty('b', { column: '', says: 'b says' })] }))
    expect(view.find('aside h2').text()).toBe('level_m')
    expect(view.find('aside figcaption').text()).toContain('delivery 2, 2026-02-02: 3')
    expect(view.find('aside figcaption').text()).toContain('usually 1 to 2')
    press('j')
    await flushPromises()
    expect(view.find('aside h2').text()).toBe('All records')
  })
  it('is answered by a key, with a word, and the next one is shown', async () => {
    const { view, asked } = await page(told({ news: [novelty('a'), novelty('b')] }))
    await view.find('#news-word').setValue('a new probe')
    press('e')
    await flushPromises()
    expect(writing(asked)).toMatchObject([
      { method: 'PUT', path: '/api/deliveries/9/news/a', body: { answer: 'expected', word: 'a new probe' } },
    ])
    expect(view.find('aside p').text()).toBe('B says.')
  })
  it('takes answers one after the other without waiting for the server', async () => {
    let arrive: (answer: object) => void = () => {}
    const slow = new Promise<object>((kept) => (arrive = kept))
    let there = told({ news: [novelty('a'), novelty('b')] })
    const { view, asked } = await page(() => there, undefined, {
      'PUT /api/deliveries/9/news/a': () => slow,
      'PUT /api/deliveries/9/news/b': () => slow,
    })
    press('e')
    await flushPromises()
    press('i')
    await flushPromises()
    expect(writing(asked)).toMatchObject([
      { path: '/api/deliveries/9/news/a', body: { answer: 'expected' } },
      { path: '/api/deliveries/9/news/b', body: { answer: 'ignored' } },
    ])
    expect(view.find('.tools').text()).toContain('Nothing to answer')
    there = told({
      news: [novelty('a', { answer: 'expected', by: 'M' }), novelty('b', { answer: 'ignored' })],
    })
    arrive({})
    await flushPromises()
    expect(view.find('.tools').text()).toContain('Nothing to answer')
    expect(view.find('.answered').text()).toContain('ignored this time')
  })
  it('comes back to one whose answer was refused, with the word', async () => {
    const { view } = await page(told({ news: [novelty('a'), novelty('c')] }))
    await view.find('#news-word').setValue('a new probe')
    press('j')
    await flushPromises()
    press('e') // there is no such operation: refused
    await flushPromises()
    expect(view.find('aside p').text()).toBe('C says.')
    expect(view.find('aside [role=alert]').exists()).toBe(true)
    press('k')
    await flushPromises()
    expect((view.find('#news-word').element as HTMLInputElement).value).toBe('a new probe')
  })
  it('has its answer taken back', async () => {
    const { view, asked } = await page(
      told({ news: [novelty('a', { answer: 'ignored', by: 'R. Tessen', word: 'a flood' })] }),
    )
    expect(view.find('.answered').text()).toContain('ignored this time R. Tessen')
    expect(view.find('.answered').text()).toContain('a flood')
    press('u')
    await flushPromises()
    expect(writing(asked)).toMatchObject([{ method: 'DELETE', path: '/api/deliveries/9/news/a' }])
  })
  it('is asked of the supplier, and may be answered after', async () => {
    let there = told({ news: [novelty('a')] })
    const { view, asked } = await page(() => there)
    await view.find('#news-word').setValue('Which site is Z?')
    there = told({ news: [novelty('a', { answer: 'asked', by: 'M', word: 'Which site is Z?' })] })
    press('s')
    await flushPromises()
    expect(view.find('.answered').text()).toContain('asked the supplier M')
    expect(view.findAll('.answers button').map((each) => each.text())).toEqual([
      'Expected from now one',
      'Ignore this timei',
    ])
    expect((view.find('#news-word').element as HTMLInputElement).value).toBe('') // the question is no answer
    press('i')
    await flushPromises()
    expect(writing(asked)).toMatchObject([
      { method: 'PUT', body: { answer: 'asked', word: 'Which site is Z?' } },
      { method: 'PUT', body: { answer: 'ignored', word: '' } },
    ])
  })
  it('is only looked at by viewers', async () => {
    const { view, asked } = await page(told({ news: [novelty('a')] }), roles('viewer'))
    expect(view.find('#news-word').exists()).toBe(false)
    press('e')
    await flushPromises()
    expect(writing(asked)).toEqual([])
  })
  it('lists texts never seen with their share, findings, design changes and what the policy did', async () => {
    const texts = [{ text: 'flooded', share: 0.0699 }]
    const { view } = await page(
      told({
        changes: 2,
        news: [novelty('a', { value: null, low: null, high: null, texts })],
        findings: [{ id: 'f', kind: 'k', columns: ['ph'], severity: 'high', says: 'a finding' }],
        steps: [{ did: 'called', reasons: ['state: 1 value never seen'], at: '2026-03-02T06:00:00Z' }],
      }),
    )
    expect(view.find('aside .texts').text()).toContain('flooded')
    expect(view.find('aside .texts').text()).toContain('6.99 % of the records')
    expect(view.text()).toContain('2 design changes to settle')
    expect(view.text()).toContain('a finding')
    expect(view.find('.steps').text()).toContain('called a person: state: 1 value never seen')
    expect(view.find('figure').exists()).toBe(false)
  })
})

describe('the policy of a feed', () => {
  const kept = { then: 'propose', quarantined: 0.025, least: 300, most: null, by: 'R. Tessen', at: null }
  async function form(policy: unknown, past: unknown[] = [], who: unknown = roles('approver')) {
    const asked = answering({
      'GET /api/session': () => who,
      'GET /api/feeds/water/policy': () => ({ policy, steps: { ran: 3, called: 1 } }),
      'PUT /api/feeds/water/policy': (each) => each.body,
      'DELETE /api/feeds/water/policy': () => ({}),
      'POST /api/feeds/water/policy/past': () => past,
    })
    const view = await shown(FeedPolicy, { slug: 'water' })
    await flushPromises()
    return { view, asked }
  }
  it('is kept as it is written', async () => {
    const { view, asked } = await form(null)
    expect(view.text()).toContain('This feed waits for a person')
    await view.find('#policy-then').setValue('publish')
    await view.find('#policy-quarantined').setValue('0.5')
    await view.find('#policy-most').setValue('1,000')
    await view.find('form').trigger('submit')
    await flushPromises()
    expect(writing(asked)[0]?.body).toEqual({ then: 'publish', quarantined: 0.005, least: null, most: 1000 })
  })
  it('says in whose name it acts and what it did', async () => {
    const { view } = await form(kept)
    expect(view.text()).toContain(
      'This feed runs itself, in the name of R. Tessen: it ran the rulebook 3 times',
    )
    expect((view.find('#policy-quarantined').element as HTMLInputElement).value).toBe('2.5')
    expect((view.find('#policy-least').element as HTMLInputElement).value).toBe('300')
  })
  it('is tried over the past, and the trial goes when the policy is changed', async () => {
    const past = [
      { delivery: 4, number: 2, received: '2026-02-02T06:00:00Z', reasons: ['ph: too high'] },
      { delivery: 3, number: 1, received: '2026-01-02T06:00:00Z', reasons: [] },
    ]
    const { view } = await form(kept, past)
    const button = view.findAll('button').find((each) => each.text() === 'Try it over the past')
    await button!.trigger('click')
    await flushPromises()
    expect(view.text()).toContain(
      'It would have proposed 1 of 2 deliveries that ran, and called a person for 1.',
    )
    expect(view.find('.past').text()).toContain('ph: too high')
    await view.find('#policy-least').setValue('500')
    expect(view.find('.past').exists()).toBe(false)
  })
  it('is no form for viewers, and analysts cannot let it publish', async () => {
    expect((await form(kept, [], roles('viewer'))).view.find('form').exists()).toBe(false)
    const { view } = await form(kept, [], roles('analyst'))
    expect((view.find('option[value=publish]').element as HTMLOptionElement).disabled).toBe(true)
  })
})
