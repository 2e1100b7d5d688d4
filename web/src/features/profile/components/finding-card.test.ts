import { answering, shown } from '@/testing/page'
import { describe, expect, it, vi } from 'vitest'
import { whySo, type Listed } from '../logic/findings'
import FindingCard from './FindingCard.vue'

const finding: Listed['finding'] = {
  id: 'f1', kind: 'does not fit its type', columns: ['ph'], severity: 'high', count: 2, share: 0.01,
  says: '2 cells are not a number: “acid”', effect: 2, opens: null,
  evidence: [{ value: 'acid', count: 2, becomes: null }, { value: '7,4', count: 1, becomes: '7.4' }],
  filters: [{ on: 'column', name: 'ph', test: 'is', value: 'acid' }], rule: { kind: 'of-type', columns: ['ph'] },
} // prettier-ignore
const listed: Listed = {
  finding, state: 'open', by: '', reason: '', at: null, rule_id: '', sentence: [{ text: 'ph', data: true }, { text: ' is a number.', data: false }],
} // prettier-ignore

async function card(more: Partial<Listed> = {}, props: object = {}) {
  return shown(
    FindingCard,
    { listed: { ...listed, ...more }, method: 'By the type.', mayWork: true, busy: false, ...props },
    '/deliveries/3',
  )
}
const buttons = (page: Awaited<ReturnType<typeof card>>) =>
  page.findAll('button').map((element) => element.text())

describe('why a finding has its severity', () => {
  it.each([
    ['high', 2, 0.00002, 'Severity high: cells like these are hardly ever meant. So few (2, less than 0.1 % of the records) are rather slips than a habit.'],
    ['middle', 1200, 0.03, 'Severity middle: most likely a fault, though it can be meant. They are 1,200, 3.0 % of the records.'],
    ['low', 90, 0.0501, 'Severity low: it may well be meant, so look before you decide. So many (90, 5.0 % of the records) are rather a habit of the source than slips.'],
    ['low', 5, 0.01, 'Severity low: it may well be meant, so look before you decide. So few (5, 1.0 % of the records) are rather slips than a habit.'],
  ] as const)('is said of %s, %i', (severity, count, share, sentence) => {
    expect(whySo({ severity, count, share })).toBe(sentence)
  }) // prettier-ignore

  it('stands where it is said how the finding is judged', async () => {
    const page = await card()
    expect(page.get('.how').text()).toBe(
      'How it is judgedSeverity high: cells like these are hardly ever meant. So few (2, 1.0 % of the records) are rather slips than a habit.By the type.',
    )
  })
})

describe('the card of a finding', () => {
  it('says which rule treats it, and leads there instead of asking for a decision', async () => {
    answering({
      'GET /api/deliveries/3': () => ({ id: 3, feed: { slug: 'rooms', name: 'Rooms' } }),
      'GET /api/feeds/rooms/rulebook': () => ({
        rules: [{ number: 6, rule: { id: 'number-1' }, sentence: [{ text: 'Convert ph to numbers.' }] }],
      }),
    })
    const page = await card({ state: 'treated', rule_id: 'number-1' })
    await vi.waitFor(() => expect(page.text()).toContain('Rule 6 treats it: Convert ph to numbers.'))
    expect(page.get('.soft').text().replace(/\s+/g, ' ')).toBe(
      'high · does not fit its type · treated by rule 6',
    )
    expect(page.findAll('a').map((element) => element.attributes('href'))).toContain(
      '/deliveries/3/rules?rule=number-1',
    )
    expect(buttons(page)).toEqual([])
    vi.unstubAllGlobals()
  })
  it('says what was seen, how, with which values and what becomes of them', async () => {
    const page = await card()
    expect(page.get('h3').text()).toBe('2 cells are not a number: “acid”')
    expect(page.get('.soft').text()).toBe('high · does not fit its type')
    expect(page.get('article').classes()).toContain('grave')
    const rows = page.findAll('.evidence tr').map((row) => row.text().replace(/\s+/g, ' '))
    expect(rows[0]).toContain('acid')
    expect(rows[0]).not.toContain('→')
    expect(rows[1]).toContain('→')
    expect(page.get('.how p:last-child').text()).toBe('By the type.')
  })
  it('shows the proposed rule with its effect in cells, of several columns in records', async () => {
    const alone = await card()
    expect(alone.get('.rule').text()).toContain('ph is a number.')
    expect(alone.get('.effect').text()).toBe('2 cells')
    const page = await card({ finding: { ...finding, effect: 1 } })
    expect(page.get('.effect').text()).toBe('1 cell')
    const several = await card({ finding: { ...finding, columns: ['begin', 'end'], effect: 59 } })
    expect(several.get('.effect').text()).toBe('59 records')
    const removing = await card({ finding: { ...finding, rule: { kind: 'remove-where' }, effect: 3 } })
    expect(removing.get('.effect').text()).toBe('3 records')
  })
  it('says so where no rule follows', async () => {
    const page = await card({ sentence: [], finding: { ...finding, rule: null, effect: null } })
    expect(page.text()).toContain('No rule follows from it by itself.')
    expect(buttons(page)).toEqual(['Dismiss'])
  })
  it('opens as many records as it says, where these are others than it counts', async () => {
    expect((await card()).get('a.door').text()).toBe('Open the 2 records')
    const page = await card({ finding: { ...finding, opens: 1 } })
    expect(page.get('a.door').text()).toBe('Open the 1 record')
    expect(decodeURIComponent(page.get('a.door').attributes('href') ?? '')).toContain('"value":"acid"')
    expect((await card({ finding: { ...finding, filters: [] } })).find('a.door').exists()).toBe(false)
  })
  it('is accepted, or dismissed with a reason', async () => {
    const page = await card()
    await page.get('.btn.main').trigger('click')
    expect(page.emitted('accept')).toHaveLength(1)
    await page.findAll('button')[1]?.trigger('click')
    await page.get('input').setValue('measured so')
    await page.get('form').trigger('submit')
    expect(page.emitted('dismiss')).toEqual([['measured so']])
    expect(page.find('form').exists()).toBe(false)
  })
  it('is not dismissed when the question is cancelled, by button or by Escape', async () => {
    const page = await card()
    await page.findAll('button')[1]?.trigger('click')
    await page.get('input').trigger('keydown', { key: 'Escape' })
    expect(page.find('form').exists()).toBe(false)
    await page.findAll('button')[1]?.trigger('click')
    await page.findAll('form button')[1]?.trigger('click')
    expect(page.emitted('dismiss')).toBeUndefined()
  })
  it('another finding does not keep the question or the reason of the one before', async () => {
    const page = await card()
    await page.findAll('button')[1]?.trigger('click')
    await page.get('input').setValue('half a reason')
    await page.setProps({ listed: { ...listed, finding: { ...finding, id: 'f2' } } })
    expect(page.find('form').exists()).toBe(false)
    await page.findAll('button')[1]?.trigger('click')
    expect((page.get('input').element as HTMLInputElement).value).toBe('')
  })
  it('decided, says by whom and why, and can be reopened', async () => {
    const accepted = await card({ state: 'accepted', by: 'I. Marlo' })
    expect(accepted.get('.soft').text()).toContain('accepted by I. Marlo')
    expect(buttons(accepted)).toEqual(['Remove the rule'])
    const dismissed = await card({ state: 'dismissed', by: 'I. Marlo', reason: 'acid is a name' })
    expect(dismissed.get('.soft').text()).toContain('dismissed by I. Marlo: acid is a name')
    await dismissed.get('button').trigger('click')
    expect(dismissed.emitted('reopen')).toHaveLength(1)
  })
  it('offers nothing to a viewer, and nothing while a decision is on its way', async () => {
    expect(buttons(await card({}, { mayWork: false }))).toEqual([])
    const busy = await card({}, { busy: true })
    expect(busy.findAll('button').every((element) => element.attributes('disabled') !== undefined)).toBe(true)
  })
})
