import { answering, shown } from '@/testing/page'
import { flushPromises } from '@vue/test-utils'
import { afterEach, describe, expect, it, vi } from 'vitest'
import { askedOf } from '../logic/changes'
import ChangesPage from './ChangesPage.vue'

const CHANGES = {
  before: { name: 'release 1', delivery: 41 }, after: { name: 'release 3', delivery: 42 }, key: ['well'],
  types: { well: 'text', litres: 'decimal', remark: 'text' }, added: 1, gone: 0, changed: 150, same: 7, repeated: 4,
  columns: [{ name: 'litres', records: 150 }, { name: 'remark', records: 2 }], columns_added: ['depth'], columns_gone: [],
} // prettier-ignore
const CHANGED = {
  before: 5, after: 6, columns: ['litres', 'remark'],
  values_before: { well: 'A', litres: '2', remark: null }, values_after: { well: 'A', litres: '5', remark: 'leaks' },
} // prettier-ignore
const ADDED = { before: null, after: 9, columns: [], values_before: null, values_after: { well: 'D', litres: '4', remark: 'new' } } // prettier-ignore

async function opened(path: string, changes: object = CHANGES) {
  const noted = answering({
    'GET /api/feeds/wells/changes': () => changes,
    'GET /api/feeds/wells/changes/records': ({ query }) => (query.get('kind') === 'added' ? [ADDED] : [CHANGED]),
    'GET /api/feeds/wells': () => ({ slug: 'wells', name: 'Wells', deliveries: [] }),
  })
  const page = await shown(ChangesPage, {}, path)
  const settle = async () => {
    for (let round = 0; round < 4; round += 1) await flushPromises()
  }
  await settle()
  const press = async (words: RegExp) => {
    await page.findAll('button').find((button) => words.test(button.text()))!.trigger('click')
    await settle()
  }
  const asked = () => Object.fromEntries(noted.filter((each) => each.path.endsWith('/records')).at(-1)!.query)
  return { page, asked, press }
} // prettier-ignore

describe('what changed between releases', () => {
  afterEach(() => vi.unstubAllGlobals())

  it('reads what is compared from the address', () => {
    expect(askedOf({ before: '1', after: '3', delivery: '9' })).toEqual({ before: 1, after: 3 })
    expect(askedOf({ before: '1', delivery: '9' })).toEqual({ before: 1, delivery: 9 })
    expect(askedOf({ before: 'x' })).toEqual({ before: 0, delivery: undefined })
  })
  it('shows the values then and now, and narrows to a column', async () => {
    const { page, asked, press } = await opened('/feeds/wells/changes?before=1&after=3')
    expect(page.text()).toContain('from release 1 to release 3')
    expect(page.text()).toContain('4 records of the two share their key')
    expect(page.text()).toContain('new: depth')
    expect(page.get('tbody').text().replace(/\s+/g, ' ')).toContain('litres 2 → 5')
    expect(page.get('tbody').text()).toContain('missing')
    expect(page.findAll('tbody a').map((link) => link.attributes('href'))).toEqual(['/deliveries/41/records/5', '/deliveries/42/records/6'])
    await press(/^remark/)
    expect(asked()).toEqual({ before: '1', after: '3', kind: 'changed', column: 'remark', offset: '0', limit: '100' })
    expect(page.findAll('.one').map((part) => part.get('.soft').text())).toEqual(['remark', 'litres'])
    expect(page.get('.pages').text()).toContain('1 to 2 of 2')
  }) // prettier-ignore
  it('goes on by pages of a hundred, not beyond the last', async () => {
    const { page, asked, press } = await opened('/feeds/wells/changes?before=1&delivery=42')
    const off = () =>
      page.findAll('.pages button').map((button) => button.attributes('disabled') !== undefined)
    expect([page.get('.pages').text().slice(0, 15), off()]).toEqual(['1 to 100 of 150', [true, false]])
    await press(/^Next/)
    expect(asked()).toMatchObject({ delivery: '42', offset: '100' })
    expect([page.get('.pages').text().slice(0, 17), off()]).toEqual(['101 to 150 of 150', [false, true]])
    await press(/^1\s*added/)
    expect(asked()).toMatchObject({ kind: 'added', offset: '0' })
    expect(page.findAll('thead th').map((head) => head.text())).toEqual([
      'Record',
      'well',
      'litres',
      'remark',
    ])
    expect(page.get('tbody a').attributes('href')).toBe('/deliveries/42/records/9')
  })
  it('says when nothing changed', async () => {
    const { page } = await opened('/feeds/wells/changes?before=1&after=3', { ...CHANGES, added: 0, changed: 0, columns: [], repeated: 0, columns_added: [] }) // prettier-ignore
    expect(page.text()).toContain('No record was added, is gone or changed.')
  })
})
