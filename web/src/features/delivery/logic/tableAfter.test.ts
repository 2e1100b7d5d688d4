import type { Schemas } from '@/api/client'
import { answering, shown, type Asked } from '@/testing/page'
import { enableAutoUnmount, flushPromises } from '@vue/test-utils'
import { afterEach, describe, expect, it, vi } from 'vitest'
import { computed, defineComponent, ref } from 'vue'
import { afterOf, useRuleChoices, useTableAfter } from './tableAfter'

const delivery = ref({ id: 9, state: 'read', revision: 3, records: 40 } as Schemas['WorkspaceOut'])
const Page = defineComponent({
  setup() {
    const left = useTableAfter(ref(9), delivery)
    const rules = useRuleChoices(computed(() => 'rooms'))
    return { ...left, rules }
  },
  template: `<p>{{ table ?? (error ? error.message : busy ? 'busy' : 'delivered') }} {{ data?.place }}</p>
    <i v-for="rule in rules">{{ rule.number }} {{ rule.words }}</i>`,
})
const RULEBOOK = {
  rules: [
    { number: 1, rule: { id: 'trim-1' }, sentence: [{ text: 'Trim ' }, { text: 'town' }, { text: '.' }] },
    { number: 4, rule: { id: 'unique-1' }, sentence: [{ text: 'Town is unique.' }] },
  ],
}
const job = (state: string, error: unknown = null) => ({
  id: 5,
  kind: 'table after',
  target: 7,
  state,
  step: '',
  share: 0.4,
  error,
})
const posts = (asked: Asked[]) =>
  asked.filter((request) => request.method === 'POST').map((item) => item.body)

enableAutoUnmount(afterEach)

describe('the table that is looked at', () => {
  afterEach(() => {
    vi.unstubAllGlobals()
    vi.useRealTimers()
    delivery.value = { ...delivery.value, revision: 3 }
  })

  it('is read from the address', () => {
    expect(afterOf({})).toBeUndefined()
    expect(afterOf({ after: '' })).toBeUndefined()
    expect(afterOf({ after: ['a', 'b'] })).toBeUndefined()
    expect(afterOf({ after: 'end' })).toBe('end')
  })
  it('is the delivered one without a word in the address: nothing is asked', async () => {
    const asked = answering({ 'GET /api/feeds/rooms/rulebook': () => RULEBOOK })
    const page = await shown(Page, {}, '/deliveries/9')
    await flushPromises()
    expect(page.get('p').text()).toBe('delivered')
    expect(posts(asked)).toEqual([])
    expect(page.findAll('i').map((element) => element.text())).toEqual(['1 Trim town.', '4 Town is unique.'])
  })
  it('is asked for by the rule, followed while it is made, then read', async () => {
    vi.useFakeTimers()
    let state = 'working'
    const asked = answering({
      'GET /api/feeds/rooms/rulebook': () => RULEBOOK,
      'POST /api/deliveries/9/tables-after': () => ({ id: 7, job: job('waiting') }),
      'GET /api/jobs/5': () => job(state),
      'GET /api/deliveries/9/tables-after/7': () => ({ id: 7, place: 1 }),
    })
    const page = await shown(Page, {}, '/deliveries/9?after=trim-1')
    await vi.advanceTimersByTimeAsync(500)
    expect(page.get('p').text()).toBe('busy')
    state = 'done'
    await vi.advanceTimersByTimeAsync(900)
    expect(page.get('p').text()).toBe('7 1')
    expect(posts(asked)).toEqual([{ rule: 'trim-1' }])
  })
  it('is asked for anew when the rulebook is another one', async () => {
    const asked = answering({
      'POST /api/deliveries/9/tables-after': () => ({ id: 7, job: null }),
      'GET /api/deliveries/9/tables-after/7': () => ({ id: 7, place: 4 }),
    })
    const page = await shown(Page, {}, '/deliveries/9?after=end')
    await vi.waitFor(() => expect(page.get('p').text()).toBe('7 4'))
    expect(posts(asked)).toEqual([{ rule: '' }])
    delivery.value = { ...delivery.value, revision: 4 }
    await flushPromises()
    await vi.waitFor(() => expect(posts(asked)).toHaveLength(2))
    expect(page.get('p').text()).toBe('7 4') // it stays in view meanwhile
  })
  it('says why it cannot be made', async () => {
    answering({
      'POST /api/deliveries/9/tables-after': () => ({ id: 7, job: job('waiting') }),
      'GET /api/jobs/5': () => job('failed', { detail: 'The reference table “Towns” holds nothing yet.' }),
    })
    const page = await shown(Page, {}, '/deliveries/9?after=end')
    await vi.waitFor(() => expect(page.get('p').text()).toContain('holds nothing yet'))
  })
})
