import { answering, shown } from '@/testing/page'
import { flushPromises } from '@vue/test-utils'
import { afterEach, describe, expect, it, vi } from 'vitest'
import QuarantineEverywherePage from './QuarantineEverywherePage.vue'

const BALANCE = { delivered: 9, added: 0, ready: 4, corrected: 0, quarantined: 5, removed: 0, rejected: 0 }
const line = (id: number, slug: string, number: number, more: object = {}) => ({
  delivery: { id, feed: { slug, name: slug }, number, release: '', balance: BALANCE }, records: 5, since: '2026-11-02T09:00:00Z', blocks: ['its release'],
  reasons: [{ rule: 2, name: 'ph', phrase: 'is above 14', records: 5, sentence: [], trend: [4, 0, 5] }], mine: 0, owner: 6, overdue: 0, returned: 0, answers: 0, ...more,
}) // prettier-ignore
const LINES = [
  line(7, 'field', 2, { mine: 2, overdue: 1 }),
  line(4, 'field', 1),
  line(9, 'lab', 1, { answers: 1, blocks: [] }),
]

async function opened(lines: unknown[], path = '/') {
  answering({ 'GET /api/quarantine': () => lines })
  const page = await shown(QuarantineEverywherePage, {}, path)
  for (let round = 0; round < 3; round += 1) await flushPromises()
  const view = async (words: string) => {
    await page.findAll('.views button').find((button) => button.text().includes(words))!.trigger('click')
    for (let round = 0; round < 3; round += 1) await flushPromises()
  }
  return { page, view }
} // prettier-ignore

describe('quarantine over all feeds', () => {
  afterEach(() => vi.unstubAllGlobals())

  it('adds up what waits, is mine, late or answered, and narrows to it', async () => {
    const { page, view } = await opened(LINES)
    const said = () => page.findAll('.views button').map((button) => button.text().replace(/\s+/g, ' '))
    expect(said()).toEqual(['15 waiting', '2 mine', '1 day is past', '0 with a supplier', '1 answer to look at'])
    expect(page.findAll('tbody tr')).toHaveLength(3)
    await view('mine')
    expect(page.findAll('tbody tr').map((row) => row.get('a').text())).toEqual(['field, delivery 2'])
    expect(page.get('tbody a').attributes('href')).toBe('/deliveries/7/quarantine?owner=6')
    await view('day is past')
    expect(page.get('tbody a').attributes('href')).toBe('/deliveries/7/quarantine?overdue=yes')
    await view('to look at')
    expect(page.findAll('tbody tr').map((row) => row.get('a').text())).toEqual(['lab, delivery 1'])
    await view('waiting')
    expect(page.findAll('tbody tr')).toHaveLength(3)
  }) // prettier-ignore
  it('says what each blocks and how its reasons went from delivery to delivery', async () => {
    const { page } = await opened(LINES)
    const first = page.get('tbody tr')
    expect(first.text()).toContain('its release')
    expect(first.text()).toContain('1 whose day is past')
    expect(first.get('svg[role=img]').attributes('aria-label')).toBe('in the last deliveries 4, 0, 5')
  })
  it('offers all that wait in a feed beside its newest delivery, where it has several', async () => {
    const { page } = await opened([LINES[1], LINES[0], LINES[2]])
    const rows = page.findAll('tbody tr').map((row) => row.find('.whole').exists())
    expect(rows).toEqual([false, true, false])
  })
  it('has words for nothing', async () => {
    const { page } = await opened([])
    expect(page.text()).toContain('No record is in quarantine')
    expect(page.find('.views').exists()).toBe(false)
  })
})
