import type { Schemas } from '@/api/client'
import { shown } from '@/testing/page'
import { afterEach, describe, expect, it, vi } from 'vitest'
import { ref } from 'vue'
import RecordsGrid from './RecordsGrid.vue'

// the page of the tests has no sizes
vi.mock('@vueuse/core', async (actual) => ({
  ...(await actual<object>()),
  useElementSize: () => ({ width: ref(1200), height: ref(400) }),
}))

type Row = Schemas['RecordOut']
const COLUMNS = [
  { name: 'site', type: 'text' }, { name: 'ph', type: 'decimal' }, { name: 'day', type: 'date' },
] // prettier-ignore
const reason = { rule: 2, name: 'site, ph', value: '99', phrase: 'is too high' }
const ROWS: Row[] = Array.from({ length: 40 }, (_, at) => ({
  record: at + 1, file: 0, line: at + 5, state: at === 1 ? 'quarantined' : 'ready', reasons: at === 1 ? [reason] : null,
  cells: [`site ${at}`, at === 3 ? null : `${at}.5`, '2024-03-17'], originals: [at === 2 ? ' site 2' : null, null, null],
})) // prettier-ignore

async function grid(more: object = {}) {
  const page = await shown(RecordsGrid, {
    columns: COLUMNS, files: ['upper.txt'], total: ROWS.length, judged: true, row: (index: number) => ROWS[index],
    sort: 'ph', direction: 'down', ...more,
  }) // prettier-ignore
  const press = (key: string, more: object = {}) =>
    page.get('[role=grid]').trigger('keydown', { key, ...more })
  const at = () => page.get('[role=grid]').attributes('aria-activedescendant')
  await page.get('[role=grid]').trigger('focus')
  return { page, press, at }
}

describe('the grid of records', () => {
  afterEach(() => vi.unstubAllGlobals())

  it('says how many records and columns there are, and asks for those in view', async () => {
    const { page } = await grid()
    const box = page.get('[role=grid]')
    expect([box.attributes('aria-rowcount'), box.attributes('aria-colcount')]).toEqual(['41', '4'])
    const needed = page.emitted('need')?.at(-1) as [number, number]
    expect(needed[0]).toBe(0)
    expect(needed[1]).toBeLessThan(ROWS.length)
  })
  it('tells by which column and which way it is sorted, and asks for another order', async () => {
    const { page } = await grid()
    const heads = page.findAll('[role=columnheader][aria-sort]')
    expect(heads.map((head) => head.attributes('aria-sort'))).toEqual(['none', 'descending', 'none'])
    await heads[0]?.get('button').trigger('click')
    expect(page.emitted('order')).toEqual([['site']])
  })
  it('is walked by keys, never beyond its ends', async () => {
    const { press, at } = await grid()
    expect(at()).toBe('cell-0-0')
    await press('ArrowUp')
    await press('ArrowLeft')
    expect(at()).toBe('cell-0-0')
    await press('ArrowDown')
    await press('ArrowRight')
    expect(at()).toBe('cell-1-1')
    await press('End')
    await press('ArrowRight')
    expect(at()).toBe('cell-1-2')
    await press('End', { ctrlKey: true })
    await press('ArrowDown')
    await press('PageDown')
    expect(at()).toBe('cell-39-2')
    await press('Home', { ctrlKey: true })
    expect(at()).toBe('cell-0-0')
  })
  it('copies the cell at hand, a missing one as nothing', async () => {
    const writeText = vi.fn()
    vi.stubGlobal('navigator', { ...navigator, clipboard: { writeText } })
    const { press } = await grid()
    await press('ArrowRight')
    await press('c', { ctrlKey: true })
    for (let step = 0; step < 3; step += 1) await press('ArrowDown')
    await press('c', { metaKey: true })
    expect(writeText.mock.calls).toEqual([['0.5'], ['']])
  })
  it('marks every cell that a reason is about, and says what was delivered', async () => {
    const { page } = await grid()
    const row = (at: number) => page.findAll('[role=row]')[at + 1]
    expect(row(1)?.findAll('.wrong')).toHaveLength(2)
    expect(row(0)?.findAll('.wrong')).toHaveLength(0)
    expect(row(1)?.get('.state').attributes('title')).toBe('site, ph 99 is too high')
    expect(row(2)?.findAll('[role=gridcell]')[0]?.attributes('title')).toContain('delivered as “ site 2”')
    expect(row(3)?.findAll('[role=gridcell]')[1]?.attributes('title')).toBe('missing')
  })
  it('puts numbers on the right and shows no state of records that were not judged', async () => {
    const { page } = await grid({ judged: false })
    const cells = page.findAll('[role=row]')[1]?.findAll('[role=gridcell]') ?? []
    expect(cells.map((cell) => cell.classes('right'))).toEqual([false, true, false])
    expect(page.find('.state').exists()).toBe(false)
  })
  it('begins at the column that the filters are about', async () => {
    const { at } = await grid({ about: 'day' })
    expect(at()).toBe('cell-0-2')
  })
  it('shows records on their way as empty rows, not as wrong ones', async () => {
    const { page } = await grid({ row: (index: number) => (index < 2 ? ROWS[index] : undefined) })
    const rows = page.findAll('[role=row]')
    expect(rows[1]?.text()).toContain('upper.txt 5')
    expect(rows[3]?.text()).toBe('')
  })
})
