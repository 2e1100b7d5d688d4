import { answering, shown } from '@/testing/page'
import { enableAutoUnmount, flushPromises } from '@vue/test-utils'
import { afterEach, describe, expect, it, vi } from 'vitest'
import ReadersPage from './ReadersPage.vue'

enableAutoUnmount(afterEach)
const FEEDS = [
  { slug: 'wells', name: 'Wells', view: 'released.wells', is_released: true },
  { slug: 'pumps', name: 'Pumps', view: 'released.pumps', is_released: false },
]
const READER = {
  id: 4, name: 'Reports', role: 'pravin_reader_4', feeds: ['wells'], made: '2024-06-01T08:00:00Z', made_by: 'A. Tessen',
  password_at: '2024-06-01T08:00:00Z',
  connections: [{ since: '2024-06-02T08:00:00Z', address: '10.0.0.7', program: 'nightly figures', asked: null }],
} // prettier-ignore

async function opened(
  roles: string[],
  readers: unknown[] = [READER],
  answers: Parameters<typeof answering>[0] = {},
) {
  const asked = answering({
    'GET /api/session': () => ({ username: 'tessen', name: 'A. Tessen', roles }),
    'GET /api/readers': () => ({ host: '127.0.0.1', port: 5433, database: 'pravin', feeds: FEEDS, readers }),
    ...answers,
  })
  const page = await shown(ReadersPage, {}, '/readers')
  await flushPromises()
  return { page, asked }
}

describe('the readers of released tables', () => {
  afterEach(() => vi.unstubAllGlobals())

  it('tells where the database is, what a reader may read and who is connected', async () => {
    const { page } = await opened(['viewer'])
    expect(page.get('.where').text()).toContain('host 127.0.0.1, port 5433, database pravin.')
    expect(page.findAll('tbody tr')[0]!.findAll('td').map((cell) => cell.text()).slice(0, 4)).toEqual([
      'Reports', 'pravin_reader_4', 'Wells', '1',
    ]) // prettier-ignore
    expect(page.text()).not.toContain('New password')
    await page.get('button[aria-expanded]').trigger('click')
    expect(page.get('.details').text()).toContain(
      'psql "host=127.0.0.1 port=5433 dbname=pravin user=pravin_reader_4"',
    )
    expect(page.get('.details').text()).toContain('SELECT * FROM released.wells')
    expect(page.get('.details').text()).toContain('nightly figures from 10.0.0.7')
    expect(page.findAll<HTMLInputElement>('.details input').map((box) => [box.element.checked, box.element.disabled])).toEqual([
      [true, true], [false, true],
    ]) // prettier-ignore
  })
  it('makes a reader and shows its password once', async () => {
    const { page, asked } = await opened(['approver'], [], {
      'POST /api/readers': () => ({ id: 5, role: 'pravin_reader_5', password: 'once-only' }),
    })
    expect(page.text()).toContain('There is no reader yet.')
    await page.findAll('button').find((button) => button.text() === 'New reader')!.trigger('click') // prettier-ignore
    await page.get('#reader-name').setValue('Figures')
    await page.findAll('.new input[type=checkbox]')[1]!.setValue(true)
    await page.get('form').trigger('submit')
    await flushPromises()
    expect(asked.find(({ method }) => method === 'POST')?.body).toEqual({ name: 'Figures', feeds: ['pumps'] })
    expect(page.get('[role=status]').text()).toContain('once-only')
    await page.findAll('[role=status] > .link').at(-1)!.trigger('click')
    expect(page.text()).not.toContain('once-only')
  })
  it('changes what a reader may read', async () => {
    const { page, asked } = await opened(['approver'], [READER], { 'PUT /api/readers/4': () => READER })
    await page.get('button[aria-expanded]').trigger('click')
    await page.findAll('.details input')[1]!.setValue(true)
    await flushPromises()
    expect(asked.find(({ method }) => method === 'PUT')?.body).toEqual({ feeds: ['wells', 'pumps'] })
  })
})
