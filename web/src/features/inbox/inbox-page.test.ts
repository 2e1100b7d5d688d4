import { answering, shown } from '@/testing/page'
import { flushPromises } from '@vue/test-utils'
import { expect, it } from 'vitest'
import MailWishes from './components/MailWishes.vue'
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
