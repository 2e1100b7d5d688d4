import { answering, shown } from '@/testing/page'
import { flushPromises } from '@vue/test-utils'
import { afterEach, describe, expect, it, vi } from 'vitest'
import ReleasedTablePage from './ReleasedTablePage.vue'

const person = vi.hoisted(() => ({ approver: true }))
vi.mock('@/features/session', async () => {
  const { ref } = await import('vue')
  return { usePerson: () => ({ mayRelease: ref(person.approver), mayWork: ref(person.approver) }) }
})

const release = (id: number, delivery: number) => ({
  id, number: id, delivery: 40 + delivery, delivery_number: delivery, records: 9, view: 'released.wells', who: 'App', state: 'published',
  asked: '2026-11-02T09:00:00Z', published: '2026-11-02T09:00:00Z', feed: { slug: 'wells', name: 'Wells' },
}) // prettier-ignore
const TABLE = {
  view: 'released.wells', adds_up: 'newest', shows_origin: true, second_person: false, key: ['well'], records: 15,
  columns: [{ name: 'well', database_name: 'well', type: 'text' }, { name: 'Liter', database_name: 'Liter', type: 'decimal' }],
  parts: [{ release: release(3, 2), records: 9, superseded: 0 }, { release: release(1, 1), records: 6, superseded: 3 }],
} // prettier-ignore

async function opened(table: object = TABLE, more: Record<string, () => unknown> = {}) {
  const noted = answering({
    'GET /api/feeds/wells/released': () => table,
    'PUT /api/feeds/wells/released': () => table,
    'GET /api/feeds/wells': () => ({ slug: 'wells', name: 'Wells', deliveries: [], columns: [] }),
    ...more,
  })
  const page = await shown(ReleasedTablePage, {}, '/feeds/wells/released')
  const settle = async () => {
    for (let round = 0; round < 4; round += 1) await flushPromises()
  }
  await settle()
  return { page, noted, settle }
}

describe('the released table of a feed', () => {
  afterEach(() => {
    vi.unstubAllGlobals()
    person.approver = true
    document.body.innerHTML = ''
  })

  it('tells what each release contributes, newest first, and compares it with the one before', async () => {
    const { page } = await opened()
    const rows = page.findAll('tbody')[0]!.findAll('tr')
    const cells = rows.map((row) =>
      row
        .findAll('td')
        .slice(0, 4)
        .map((cell) => cell.text()),
    )
    expect(cells).toEqual([['2', '3', '9', '0'], ['1', '1', '6', '3']]) // prettier-ignore
    expect(page.text()).toContain('15 records of 2 deliveries')
    const links = page.findAll('a').filter((link) => link.text() === 'Changes')
    expect(links.map((link) => link.attributes('href'))).toEqual(['/feeds/wells/changes?before=1&after=3'])
  })
  it('changes how deliveries add up only when told to', async () => {
    const { page, noted, settle } = await opened()
    const acts = () => page.findAll('aside button').map((button) => button.text())
    expect(acts()).toEqual([])
    await page.get('input[value=adds]').setValue()
    expect(acts()).toEqual(['Change what readers see', 'Cancel'])
    await page.findAll('aside button')[1]!.trigger('click')
    expect(acts()).toEqual([])
    expect((page.get('input[value=newest]').element as HTMLInputElement).checked).toBe(true)
    await page.get('input[value=replaces]').setValue()
    await page.get('.origin input').setValue(false)
    await page.get('aside form').trigger('submit')
    await settle()
    const put = noted.filter((asked) => asked.method === 'PUT')
    expect(put.map((asked) => asked.body)).toEqual([
      { adds_up: 'replaces', shows_origin: false, second_person: false },
    ])
  })
  it('says to those who may not change it how it is', async () => {
    person.approver = false
    const { page } = await opened()
    expect(page.findAll('input[type=radio]')).toHaveLength(0)
    expect(page.get('aside').text()).toContain('the newest record of a key stands')
    expect(page.findAll('button').map((each) => each.text())).toEqual(['Another form', 'Another form'])
  })
  it('has words for nothing released, and for no key', async () => {
    const { page } = await opened({
      ...TABLE,
      adds_up: 'replaces',
      key: [],
      parts: [],
      columns: [],
      records: 0,
    })
    expect(page.text()).toContain('Nothing is released, so readers find no view')
    expect(page.text()).toContain('The feed has no key yet')
    expect(page.findAll('table')).toHaveLength(0)
  })
})
