import type { Schemas } from '@/api/client'
import { answering, shown, type Asked } from '@/testing/page'
import { flushPromises } from '@vue/test-utils'
import { afterEach, describe, expect, it, vi } from 'vitest'
import QuarantinePage from './QuarantinePage.vue'

type Held = Schemas['HeldOut']
const quarantined = (record: number, name = 'ph', more: Partial<Held> = {}): Held => ({
  record, file: 0, line: record + 3, reasons: [{ rule: 9, name, value: '74', phrase: 'is above 14' }], key: [`K${record}`],
  since: '2026-11-27T09:00:00Z', owner: '', due: null, settled_by: null, again_in: null, there: null, with_supplier: false, ...more,
}) // prettier-ignore
const REASON = { rule: 9, name: 'ph', phrase: 'is above 14', records: 2, sentence: [{ text: 'ph is between 0 and 14.', data: false }] } // prettier-ignore
const COUNTS = {
  total: 3, reasons: [REASON], files: [{ file: 0, records: 1 }, { file: 1, records: 2 }], with_supplier: 0, overdue: 0, owners: [{ owner: 0, name: '', records: 3 }], runs: [],
} // prettier-ignore
const OVERVIEW = {
  run: 31, since: null, total: 8, waiting: 3, settled: 4, again: 1, trial: null, ended: { amend: 20, accept: 0, discard: 0, rules: 0 }, key: ['id'], columns: ['id', 'ph'], files: ['east.txt', 'west.txt'],
  not_applied: 0, answers: [], decisions: [] as unknown[], people: [],
} // prettier-ignore
const life = (record: number) => ({
  record, run: 31, state: 'quarantined', file: 'east.txt', line: 1, line_text: '', key: {}, since: null, owner: '', due: null, reasons: [],
  cells: [{ name: 'ph', type: 'decimal', original: '74', current: '74', wrong: [] }], steps: [], decisions: [], runs: [], releases: [], others: [],
}) // prettier-ignore
const ANSWERS = {
  'GET /api/session': () => ({ username: 'marlo', name: 'I. Marlo', roles: ['analyst'] }),
  'GET /api/deliveries/3': () => ({ id: 3, release: '', job: null, feed: { slug: 'field', name: 'Field' } }) as unknown,
  'GET /api/deliveries/3/quarantine': () => OVERVIEW as unknown,
  'GET /api/deliveries/3/quarantine/counts': (): unknown => COUNTS,
  'GET /api/deliveries/3/quarantine/records': (): unknown => ({
    run: 31, total: 3, files: ['east.txt', 'west.txt'], key: ['id'], rows: [quarantined(7), quarantined(9), quarantined(12, 'id')],
  }),
  'GET /api/deliveries/3/records/7/life': () => life(7),
  'GET /api/deliveries/3/records/9/life': () => life(9),
  'GET /api/deliveries/3/records/12/life': () => life(12),
  'POST /api/deliveries/3/quarantine/7/retry': () => ({ state: 'ready', reasons: [], values: {} }),
  'POST /api/deliveries/3/decisions': (): unknown => ({ decision: 1, run: 2, job: null }),
  'POST /api/deliveries/3/decisions/apply': (): unknown => ({ id: 2, job: null }),
  'POST /api/deliveries/3/decisions/5/undo': (): unknown => ({ decision: 5, run: 2, job: null }),
} // prettier-ignore

async function opened(answers: Partial<Record<keyof typeof ANSWERS, (asked: Asked) => unknown>> = {}, path = '/deliveries/3') {
  const noted = answering({ ...ANSWERS, ...answers })
  const page = await shown(QuarantinePage, {}, path)
  for (let round = 0; round < 4; round += 1) await flushPromises()
  const button = (name: string) => page.findAll('button').find((element) => element.text() === name)
  const decided = () => noted.filter((request) => request.path.endsWith('/decisions')).map((request) => request.body)
  const press = async (key: string) => {
    document.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true }))
    for (let round = 0; round < 3; round += 1) await flushPromises()
  }
  return { page, noted, button, decided, press }
} // prettier-ignore

describe('the quarantine of a delivery', () => {
  afterEach(() => vi.unstubAllGlobals())

  it('narrows to those that wait since a run, and to those whose day is past', async () => {
    const runs = [
      { run: 21, since: '2026-10-02T09:00:00Z', records: 2 },
      { run: 31, since: '2026-11-27T09:00:00Z', records: 1 },
    ]
    const { page, noted } = await opened({
      'GET /api/deliveries/3/quarantine/counts': () => ({ ...COUNTS, runs, overdue: 1 }),
    })
    const link = (words: string) => page.findAll('.reasons a').find((each) => each.text().includes(words))!
    await link('2026-10-02').trigger('click')
    for (let round = 0; round < 4; round += 1) await flushPromises()
    const asked = () => noted.filter((request) => request.path.endsWith('/quarantine/records')).at(-1)!.query
    expect(asked().get('since')).toBe('21')
    expect(link('2026-10-02').classes()).toContain('on')
    await link('day is past').trigger('click')
    for (let round = 0; round < 4; round += 1) await flushPromises()
    expect([asked().get('since'), asked().get('overdue')]).toEqual(['21', 'true'])
    await link('All').trigger('click')
    for (let round = 0; round < 4; round += 1) await flushPromises()
    expect([asked().get('since'), asked().get('overdue')]).toEqual([null, 'false'])
  })
  it('tells before a run what the trial would quarantine, and leads to the records', async () => {
    const trial = { run: 8, revision: 3, records: 12, reasons: [{ ...REASON, records: 12 }] }
    const { page } = await opened({
      'GET /api/deliveries/3/quarantine': () => ({ ...OVERVIEW, run: null, trial }),
    })
    expect(page.text().replace(/\s+/g, ' ')).toContain('The trial of revision 3 would quarantine 12 records.')
    const href = decodeURIComponent(page.get('tbody a').attributes('href')!.replaceAll('+', ' '))
    expect(href).toContain('records=8')
    expect(href).toContain('"on":"reason","value":"9","name":"ph","phrase":"is above 14"')
  })
  it('puts the files about returned records where the supplier finds them', async () => {
    const act = {
      id: 5, kind: 'return', records: 2, details: { sources: [[0, 2]] }, justification: '', until: null, owner: '', who: 'I. Marlo',
      at: '2026-11-28T09:00:00Z', undone_by: '', undone_at: null, holds: true, read_otherwise: false, sent: [],
    } // prettier-ignore
    let decisions = [act]
    const { page, button } = await opened({
      'GET /api/deliveries/3/quarantine': () => ({ ...OVERVIEW, decisions }),
      'POST /api/deliveries/3/decisions/5/send': () => {
        decisions = [
          { ...act, sent: [{ name: 'east.xlsx', at: '2026-11-28T09:05:00Z' }] } as unknown as typeof act,
        ]
        return []
      },
    } as Partial<typeof ANSWERS>)
    await button('Put it where the supplier finds it')!.trigger('click')
    for (let round = 0; round < 6; round += 1) await flushPromises()
    expect(page.text()).toContain('east.xlsx: where the supplier finds it since')
    expect(button('Put it there again')).toBeDefined()
  })

  it('lists reasons and sources with their counts, and cases with their key and what is wrong with them', async () => {
    const { page } = await opened()
    expect(page.get('.reasons').text()).toContain('is above 14')
    expect(page.findAll('.reasons b').map((element) => element.text())).toEqual(['3', '2', '1', '2'])
    expect(page.findAll('.standings button').map((element) => element.text())).toEqual([
      '3 waiting', '4 settled by a later delivery', '1 came again, waiting there',
    ]) // prettier-ignore
    const rows = page.findAll('.quarantined tbody tr')
    expect(rows.map((row) => row.get('.record').text())).toEqual(['7', '9', '12'])
    expect(rows[0]?.text()).toContain('K7')
    expect(rows[0]?.get('.origin').text()).toMatch(/^east\.txt\s*10$/)
  })
  it('shows the first record at once; j and k walk, a press chooses', async () => {
    const { page, press } = await opened()
    const chosen = () => page.get('aside').attributes('aria-label')
    expect(chosen()).toBe('Record 7')
    await press('j')
    expect(chosen()).toBe('Record 9')
    await press('k')
    expect(chosen()).toBe('Record 7')
    await page.findAll('.quarantined tbody tr')[2]?.trigger('click')
    await flushPromises()
    expect(chosen()).toBe('Record 12')
  })
  it('decides on the chosen record, the marked ones, or all that fit', async () => {
    const { page, decided, press } = await opened()
    const discard = async () => {
      await page.get('.act input[value="discard"]').setValue(true)
      await page.get('.act input[maxlength="2000"]').setValue('twice')
      await page.get('.act').trigger('submit')
      for (let round = 0; round < 3; round += 1) await flushPromises()
      return decided().at(-1)
    }
    const said = { kind: 'discard', justification: 'twice', run: 31, apply: true }
    expect(await discard()).toEqual({ records: [7], ...said })
    await page.get('[aria-label="mark record 9"]').setValue(true)
    await page.get('[aria-label="mark record 12"]').setValue(true)
    expect(page.get('aside').text()).toContain('2 marked records')
    expect(await discard()).toEqual({ records: [9, 12], ...said })
    await press('a')
    expect(page.get('aside h2').text()).toBe('All 3 that fit')
    expect(await discard()).toEqual({
      where: [], among: { standing: 'waiting', overdue: false, returned: false }, count: 3, ...said,
    }) // prettier-ignore
    expect(page.find('aside h2').text()).not.toBe('All 3 that fit') // it was about those, not about what comes next
  })
  it('marks the whole page and nothing of it again', async () => {
    const { page } = await opened()
    await page.get('[aria-label="mark all on this page"]').trigger('change')
    expect(page.get('aside').text()).toContain('3 marked records')
    await page.get('[aria-label="mark all on this page"]').trigger('change')
    expect(page.get('aside').attributes('aria-label')).toBe('Record 7')
  })
  it('forgets that all are meant when the filter changes', async () => {
    const { page, press } = await opened()
    await press('a')
    await page.findAll('.reasons a')[1]?.trigger('click')
    for (let round = 0; round < 3; round += 1) await flushPromises()
    expect(page.find('aside').attributes('aria-label')).toBe('Record 7')
  })
  it('lists what was decided, as acts, and undoes one', async () => {
    const act = {
      id: 5, kind: 'accept', records: 20, details: {}, justification: 'a hot spring', until: null, owner: '', who: 'I. Marlo',
      at: '2026-11-27T09:00:00Z', undone_by: '', undone_at: null, holds: true, read_otherwise: false,
    } // prettier-ignore
    const undone = { ...act, id: 6, holds: false, undone_by: 'R. Tessen', undone_at: '2026-11-27T10:00:00Z' }
    const { page, noted, button } = await opened({
      'GET /api/deliveries/3/quarantine': () => ({ ...OVERVIEW, decisions: [undone, act] }),
    })
    expect(page.text()).toContain('20 records accepted as exception')
    expect(page.text()).toContain('undone by R. Tessen')
    expect(page.findAll('button').filter((element) => element.text() === 'Undo')).toHaveLength(1)
    await button('Undo')?.trigger('click')
    await flushPromises()
    expect(noted.some((request) => request.path.endsWith('/decisions/5/undo'))).toBe(true)
  })
  it('says how many decisions are not applied yet, and applies them', async () => {
    const { page, noted, button } = await opened({
      'GET /api/deliveries/3/quarantine': () => ({ ...OVERVIEW, not_applied: 12 }),
    })
    expect(page.get('[role=status].pending').text()).toContain('12 decisions not applied yet.')
    await button('Apply now')?.trigger('click')
    await flushPromises()
    expect(noted.some((request) => request.path.endsWith('/decisions/apply'))).toBe(true)
  })
  it('decides on a released delivery too, and says where that goes', async () => {
    const released = { id: 3, release: 'published', job: null, feed: { slug: 'field', name: 'Field' } }
    const { page } = await opened({ 'GET /api/deliveries/3': () => released })
    expect(page.text()).toContain('goes into a follow-up release')
    expect(page.find('.act').exists()).toBe(true)
  })
  it('offers nothing to decide to a viewer', async () => {
    const viewer = { username: 'viewer', name: 'V', roles: ['viewer'] }
    const { page, button } = await opened({ 'GET /api/session': () => viewer })
    expect(page.findAll('.quarantined tbody tr')).toHaveLength(3)
    expect(page.find('.act').exists()).toBe(false)
    expect(button('Change')).toBeUndefined()
    expect(page.find('[aria-label="mark record 7"]').exists()).toBe(false)
  })
  it('says where settled records came ready, and where others wait', async () => {
    const rows = [
      quarantined(7, 'ph', { settled_by: 4, there: 1200 }),
      quarantined(9, 'ph', { again_in: 5, there: 3 }),
    ]
    const page_ = { run: 31, total: 2, files: ['east.txt'], key: [], rows }
    const { page } = await opened({ 'GET /api/deliveries/3/quarantine/records': () => page_ })
    expect(page.text()).toContain('ready as record 1,200 of delivery 4')
    expect(page.text()).toContain('waits as record 3 of delivery 5')
  })
  it('says what to do before the first run, and when nothing is left', async () => {
    const before = await opened({ 'GET /api/deliveries/3/quarantine': () => ({ ...OVERVIEW, run: null, total: 0 }) })
    expect(before.page.text()).toContain('the rulebook has not been run over this delivery')
    before.page.unmount()
    const none = { run: 31, total: 0, files: [], key: [], rows: [] }
    const { page } = await opened({
      'GET /api/deliveries/3/quarantine': () => ({ ...OVERVIEW, total: 0, waiting: 0, settled: 0, again: 0 }),
      'GET /api/deliveries/3/quarantine/counts': () => ({ ...COUNTS, total: 0, reasons: [], files: [] }),
      'GET /api/deliveries/3/quarantine/records': () => none,
    })
    expect(page.text()).toContain('No record is quarantined for this.')
    expect(page.find('table').exists()).toBe(false)
  }) // prettier-ignore
})
