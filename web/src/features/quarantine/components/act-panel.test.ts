import { answering, shown, type Asked } from '@/testing/page'
import { flushPromises } from '@vue/test-utils'
import { afterEach, describe, expect, it, vi } from 'vitest'
import ActPanel from './ActPanel.vue'

const PREVIEW = 'POST /api/deliveries/9/decisions/preview'
const DECIDE = 'POST /api/deliveries/9/decisions'
const WOULD = {
  records: 3,
  states: { corrected: 2, quarantined: 1 },
  examples: [
    { record: 4, state: 'corrected', reasons: [], changes: [{ name: 'ph', before: '7,4', after: '7.4' }] },
    { record: 5, state: 'quarantined', reasons: [{ rule: 2, name: 'ph', value: 'x', phrase: 'could not be read' }], changes: [] },
  ],
} // prettier-ignore

async function opened(more: object = {}, answers: Record<string, (asked: Asked) => unknown> = {}) {
  const asked = answering({ [PREVIEW]: () => WOULD, [DECIDE]: () => ({ decision: 1, run: null, job: null }), ...answers })
  const page = await shown(ActPanel, {
    delivery: 9, run: 31, which: { records: [4, 5, 6] }, columns: ['id', 'ph'], first: 'ph', isMany: true,
    people: [{ owner: 2, name: 'I. Marlo', records: 0 }], feedKey: ['id'], ...more,
  })
  const press = async (name: string) => {
    await page.findAll('button').find((button) => button.text() === name)?.trigger('click')
    await flushPromises()
  }
  const choose = (kind: string) => page.get(`input[value="${kind}"]`).setValue(true)
  const submit = async () => {
    await page.get('form').trigger('submit')
    await flushPromises()
  }
  return { page, asked, press, choose, submit }
} // prettier-ignore

describe('deciding on many records', () => {
  afterEach(() => vi.unstubAllGlobals())

  it('tries a formula first: how many would be ready, which not and why', async () => {
    const { page, asked, press } = await opened()
    await page.get('input[value="formula"]').setValue(true)
    await page.get('input[spellcheck]').setValue("replace(ph, ',', '.')")
    await press('Try it')
    const formula = { kind: 'amend', column: 'ph', formula: "replace(ph, ',', '.')" }
    expect(asked).toMatchObject([{ method: 'POST', path: PREVIEW.slice(5), body: { records: [4, 5, 6], run: 31, ...formula } }])
    expect(page.get('[role=status]').text()).toContain('Of 3 records 2 would be ready, 1 still quarantined.')
    expect(page.findAll('tbody tr').map((row) => row.text())).toEqual([
      expect.stringContaining('7,4'),
      expect.stringContaining('could not be read'),
    ])
    await page.get('input[spellcheck]').setValue('ph')
    expect(page.find('.would').exists()).toBe(false) // what was tried is not what stands there any more
  }) // prettier-ignore
  it('puts one value into all, an empty one as missing', async () => {
    const { page, asked, submit } = await opened()
    await submit()
    expect(asked.at(-1)?.body).toMatchObject({ kind: 'amend', values: { ph: null }, apply: true })
    expect(page.emitted('decided')).toHaveLength(1)
  })
  it('may wait for the next run', async () => {
    const { asked, press } = await opened()
    await press('Apply later')
    expect(asked.at(-1)?.body).toMatchObject({ kind: 'amend', apply: false })
  })
  it.each([
    ['accept', 'Accept 3'],
    ['discard', 'Discard 3'],
    ['comment', 'Comment on 3'],
  ])('%s needs words', async (kind, button) => {
    const { page, asked, choose, submit } = await opened()
    await choose(kind)
    const main = page.get('.btn.main')
    expect(main.text()).toBe(button)
    expect(main.attributes('disabled')).toBeDefined()
    await page.get('input[maxlength="2000"]').setValue('known event')
    expect(main.attributes('disabled')).toBeUndefined()
    await submit()
    expect(asked.at(-1)?.body).toMatchObject({ kind, justification: 'known event' })
  })
  it('waits until a day, and accepts until one', async () => {
    const { page, asked, choose, submit } = await opened()
    await choose('wait')
    expect(page.get('.btn.main').attributes('disabled')).toBeDefined()
    await page.get('input[type=date]').setValue('2030-01-31')
    await submit()
    expect(asked.at(-1)?.body).toMatchObject({ kind: 'wait', until: '2030-01-31' })
  })
  it('returns records to the supplier and puts their file where it finds it, unless that is not wanted', async () => {
    const SEND = 'POST /api/deliveries/9/decisions/1/send'
    const { page, asked, choose, submit } = await opened({}, { [SEND]: () => [] })
    await choose('return')
    await submit()
    expect(asked.map((each) => each.path.split('/').at(-1))).toEqual(['decisions', 'send'])
    expect(page.emitted('decided')).toHaveLength(1)
    const other = await opened({}, { [SEND]: () => [] })
    await other.choose('return')
    await other.page.get('input[type=checkbox]').setValue(false)
    await other.submit()
    expect(other.asked.map((each) => each.path.split('/').at(-1))).toEqual(['decisions'])
  })
  it('says when the file could not be put there, and that the records are returned', async () => {
    const { page, choose, submit } = await opened()
    await choose('return')
    await submit()
    expect(page.text()).toContain('/decisions/1/send') // the error of the second step
    expect(page.emitted('decided')).toHaveLength(1)
  })
  it('accepts also in later deliveries where the feed has a key', async () => {
    const { page, asked, choose, submit } = await opened()
    await choose('accept')
    await page.get('input[maxlength="2000"]').setValue('known event')
    await page.get('input[type=checkbox]').setValue(true)
    await submit()
    expect(asked.at(-1)?.body).toMatchObject({ kind: 'accept', later: true })
    const without = await opened({ feedKey: [] })
    await without.choose('accept')
    expect(without.page.find('input[type=checkbox]').exists()).toBe(false)
  })
  it('assigns to a person or to nobody, and says nothing of a run', async () => {
    const { page, asked, choose, submit, press } = await opened()
    await choose('assign')
    await press('Try it') // is not offered: nothing would change
    expect(asked).toEqual([])
    await page.get('select').setValue('2')
    await submit()
    expect(asked.at(-1)?.body).toMatchObject({ kind: 'assign', owner: 2 })
  })
  it('is about all that fit, as many as were seen', async () => {
    const chosen = { where: [{ on: 'file', value: '1' }], standing: 'waiting', overdue: false }
    const { asked, submit } = await opened({ which: { chosen, count: 106 } })
    await submit()
    expect(asked.at(-1)?.body).toMatchObject({
      where: chosen.where,
      count: 106,
      among: { standing: 'waiting' },
    })
  })
  it('keeps what was typed when it is refused, and says why', async () => {
    const refused = () => undefined
    const { page, choose, submit } = await opened({}, { [DECIDE]: refused, 'POST /nowhere': refused })
    await choose('discard')
    await page.get('input[maxlength="2000"]').setValue('twice')
    vi.stubGlobal('fetch', async () => Response.json({ status: 409, title: 'Somebody was faster', detail: 'Ana discarded 1 record' }, { status: 409 }))
    await submit()
    expect(page.text()).toContain('Ana discarded 1 record')
    expect((page.get('input[maxlength="2000"]').element as HTMLInputElement).value).toBe('twice')
  }) // prettier-ignore
  it('offers no amendment for one record: that is done in its own form', async () => {
    const { page } = await opened({ isMany: false, which: { records: [4] } })
    expect(page.find('input[value="amend"]').exists()).toBe(false)
    expect(page.get('.btn.main').text()).toBe('Accept 1')
  })
})
