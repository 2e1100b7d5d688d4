import { answering, shown } from '@/testing/page'
import { flushPromises } from '@vue/test-utils'
import { describe, expect, it } from 'vitest'
import MailWishes from './components/MailWishes.vue'
import ToldPrograms from './components/ToldPrograms.vue'
import InboxPage from './pages/InboxPage.vue'

const waits = (name: string, more = {}) => ({
  sort: 'news',
  feed: { slug: name.toLowerCase(), name },
  owner: 'I. Marlo',
  delivery: 4,
  place: 'new',
  says: `2 new in delivery 4 of ${name}`,
  blocks: ['its release'],
  since: '2026-03-04T12:00:00Z',
  ...more,
})
const inbox = (lines: unknown[]) => ({ waits: lines, wishes: [], mail: '' })
const known = {
  'GET /api/session': () => ({ username: 'marlo', name: 'I. Marlo', roles: ['analyst'] }),
  'GET /api/jobs': () => ({ newest: 0, jobs: [] }),
}

it('shows what waits, finds in it, and shows only what is of one’s own feeds when asked', async () => {
  const lines = [waits('Tanks'), waits('Pumps', { owner: 'R. Tessen' })]
  answering({ ...known, 'GET /api/inbox': () => inbox(lines) })
  const page = await shown(InboxPage, {}, '/inbox')
  const feeds = () => page.findAll('tbody tr').map((row) => row.find('td').text())
  expect(feeds()).toEqual(['Tanks', 'Pumps'])
  await page.find('input[type=checkbox]').setValue(true)
  await flushPromises()
  expect(feeds()).toEqual(['Tanks'])
  await page.find('#inbox-search').setValue('pumps')
  await flushPromises()
  expect(page.text()).toContain('Nothing that waits fits.')
})

it('says when nothing waits', async () => {
  answering({ ...known, 'GET /api/inbox': () => inbox([]) })
  expect((await shown(InboxPage, {}, '/inbox')).text()).toContain('Nothing waits for you.')
})

it('sends a wish for mail, and none with an address that is none', async () => {
  const asked = answering({
    ...known,
    'PUT /api/inbox/mail': () => ({ ...inbox([]), mail: 'm@agency.example' }),
  })
  const page = await shown(MailWishes, { inbox: inbox([]) })
  const sent = () => asked.filter(({ method }) => method === 'PUT').map(({ body }) => body)
  await page.find('select').setValue('daily')
  await page.find('input').setValue('m at agency')
  await page.find('form').trigger('submit')
  expect(page.find('[role=alert]').text()).toContain('“m at agency” is no mail address')
  expect(sent()).toEqual([])
  await page.find('input').setValue('m@agency.example')
  await page.find('form').trigger('submit')
  await flushPromises()
  expect(sent()).toEqual([{ when: 'daily', mail: 'm@agency.example', feed: null }])
  expect(page.text()).toContain('Saved.')
})

it('mail may be wanted otherwise of one feed', async () => {
  const wishes = [{ feed: 'tanks', when: 'never' }]
  const asked = answering({
    ...known,
    'GET /api/feeds': () => [
      { slug: 'tanks', name: 'Tanks' },
      { slug: 'pumps', name: 'Pumps' },
    ],
    'PUT /api/inbox/mail': () => ({ ...inbox([]), wishes }),
  })
  const page = await shown(MailWishes, { inbox: { ...inbox([]), wishes } })
  const sent = () => asked.filter(({ method }) => method === 'PUT').map(({ body }) => body)
  await page.find('#mail-tanks').setValue('daily')
  await flushPromises()
  expect(page.findAll('#mail-feed option').map((each) => each.text())).toEqual(['choose a feed', 'Pumps'])
  await page.find('#mail-feed').setValue('pumps')
  await flushPromises()
  expect(sent()).toEqual([
    { when: 'daily', feed: 'tanks' },
    { when: 'never', feed: 'pumps' },
  ])
})

describe('programs that are told', () => {
  const told = {
    id: 3, address: 'https://one.example/told', made: '2026-03-04T12:00:00Z', arrived: 1200, waits: 1, given_up: 2, said: 'answered 500',
  } // prettier-ignore
  async function programs(list: unknown[] = [told]) {
    const asked = answering({
      ...known,
      'GET /api/webhooks': () => list,
      'POST /api/webhooks': () => ({ ...told, address: 'https://two.example/', secret: 'whsec_x' }),
      'DELETE /api/webhooks/3': () => ({}),
    })
    const page = await shown(ToldPrograms, {})
    return { page, sent: () => asked.filter(({ method }) => method !== 'GET') }
  }
  it('are listed with how it goes, and dropped', async () => {
    const { page, sent } = await programs()
    expect(page.findAll('td').map((cell) => cell.text()).slice(0, 6)).toEqual([
      'https://one.example/told', '2026-03-04', '1,200', '1', '2', 'answered 500',
    ]) // prettier-ignore
    await page.find('td button').trigger('click')
    await flushPromises()
    expect(sent()).toMatchObject([{ method: 'DELETE', path: '/api/webhooks/3' }])
  })
  it('are added by an address that is one, and the secret is shown', async () => {
    const { page, sent } = await programs([])
    await page.find('#told-address').setValue('two.example')
    await page.find('form').trigger('submit')
    expect(page.find('[role=alert]').text()).toContain('“two.example” is no address such as https://')
    expect(sent()).toEqual([])
    await page.find('#told-address').setValue(' https://two.example/ ')
    await page.find('form').trigger('submit')
    await flushPromises()
    expect(sent()).toMatchObject([{ method: 'POST', body: { address: 'https://two.example/' } }])
    expect(page.find('[role=status]').text()).toContain(
      'The secret of https://two.example/, shown only once: whsec_x',
    )
    expect(page.find('[role=alert]').exists()).toBe(false)
  })
  it.each([
    [['administrator', 'analyst'], true],
    [['analyst'], false],
  ])('are seen by %s: %s', async (roles, seen) => {
    answering({
      'GET /api/session': () => ({ username: 'x', name: 'X', roles }),
      'GET /api/jobs': () => ({ newest: 0, jobs: [] }),
      'GET /api/inbox': () => inbox([]),
      'GET /api/webhooks': () => [],
    })
    const page = await shown(InboxPage, {}, '/inbox')
    await flushPromises()
    expect(page.text().includes('Programs that are told')).toBe(seen)
  })
})
