import { answering, shown } from '@/testing/page'
import { flushPromises } from '@vue/test-utils'
import { afterEach, describe, expect, it, vi } from 'vitest'
import RecordPage from './RecordPage.vue'

const LIFE = {
  record: 874, run: 31, state: 'quarantined', file: 'east.txt', line: 880, line_text: '7|2079|76', key: { id: 'WQ-7' },
  since: '2026-11-27T09:00:00Z', owner: 'I. Marlo', due: '2026-12-24',
  reasons: [{ rule: 9, name: 'ph', value: '76', phrase: 'is outside 0 to 14' }],
  cells: [
    { name: 'ph', type: 'decimal', original: '76.0', current: '76', wrong: ['is outside 0 to 14'] },
    { name: 'site', type: 'text', original: 'A', current: 'A', wrong: [] },
  ],
  steps: [{ rule: 1, sentence: [{ text: 'Trim spaces.', data: false }], cells: [{ name: 'site', before: 'A ', after: 'A' }] }],
  decisions: [], runs: [{ run: 31, revision: 4, ended: null, opened: true }],
  releases: [{ id: 1, number: 3, state: 'published', published: null }],
  others: [{ delivery: 12, number: 5, record: 40, state: 'corrected' }],
} // prettier-ignore
const opened = async (more: object = {}) => {
  answering({ 'GET /api/deliveries/3/records/874/life': () => ({ ...LIFE, ...more }) })
  const page = await shown(RecordPage, {}, '/deliveries/3/records/874')
  await flushPromises()
  return page
}

describe('the life of a record', () => {
  afterEach(() => vi.unstubAllGlobals())

  it('tells where it came from, the line as it stood there, and what is wrong', async () => {
    const page = await opened()
    expect(page.get('h1').text()).toBe('Record 874')
    expect(page.get('.origin').text()).toContain('Delivered in east.txt, line 880.')
    expect(page.get('.origin').text()).toContain('With I. Marlo.')
    expect(page.get('pre').text()).toBe('7|2079|76')
    expect(page.get('.reasons').text()).toContain('is outside 0 to 14')
  })
  it('shows each cell as delivered and now', async () => {
    const page = await opened()
    expect(page.findAll('.cells tbody tr').map((row) => row.text())).toEqual([
      expect.stringMatching(/^ph.*76\.0.*76$/),
      expect.stringMatching(/^site.*A.*the same$/),
    ])
  })
  it('tells what rules did, when it was quarantined, its releases, and where its key is else', async () => {
    const story = (await opened()).get('.story').text()
    expect(story).toContain('Trim spaces.')
    expect(story).toContain('Quarantined by the run of revision 4')
    expect(story).toContain('Release 3, published')
    expect(story).toContain('Delivery 5, record 40')
  })
  it('says what there is not', async () => {
    const nothing = {
      steps: [],
      runs: [],
      releases: [],
      others: [],
      key: {},
      file: '',
      reasons: [],
      line_text: '',
    }
    const page = await opened(nothing)
    expect(page.find('pre').exists()).toBe(false)
    expect(page.text()).toContain('Made by a rule, not delivered.')
    for (const words of ['No rule changed', 'never quarantined', 'in no release', 'The feed has no key'])
      expect(page.text()).toContain(words)
  })
})
