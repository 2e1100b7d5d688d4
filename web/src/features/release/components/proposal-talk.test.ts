import { answering, shown } from '@/testing/page'
import { flushPromises } from '@vue/test-utils'
import { afterEach, describe, expect, it, vi } from 'vitest'
import ProposalTalk from './ProposalTalk.vue'

const session = vi.hoisted(() => ({ roles: ['analyst'], isOwn: true }))
vi.mock('@/features/session', async () => {
  const { ref } = await import('vue')
  return {
    usePerson: () => ({
      mayWork: ref(session.roles.length > 0),
      mayRelease: ref(session.roles.includes('approver')),
    }),
  }
})

const PROPOSAL = {
  id: 5, run: 7, state: 'waiting', word: 'March is complete', who: 'Ana', at: '2026-11-28T09:00:00Z', decided_by: '',
  decided_at: null, answer: '', outdated: false, remarks: [{ who: 'App', text: 'Why so few?', at: '2026-11-28T09:10:00Z' }],
} // prettier-ignore

async function opened(proposal: object | null, more: object = {}, whyNot = '') {
  const noted = answering({
    'GET /api/deliveries/3/proposal': () => ({ proposal, is_own: session.isOwn, why_not: whyNot }),
    'POST /api/deliveries/3/proposal': () => ({ proposal: PROPOSAL, is_own: true, why_not: '' }),
    'POST /api/deliveries/3/release': () => ({ id: 1, job: 1 }),
    'POST /api/proposals/5/decline': () => ({ proposal: null, is_own: false, why_not: '' }),
    'POST /api/proposals/5/remarks': () => ({ proposal: PROPOSAL, is_own: true, why_not: '' }),
    'POST /api/proposals/5/cancel': () => ({ proposal: null, is_own: false, why_not: '' }),
  })
  const props = {
    delivery: 3, run: 7, ready: 12, quarantined: 2, isFollowUp: false, blocked: false, openGates: 0, ...more,
  } // prettier-ignore
  const page = await shown(ProposalTalk, props)
  const settle = async () => {
    for (let round = 0; round < 4; round += 1) await flushPromises()
  }
  await settle()
  const press = async (label: string) => {
    const button = page.findAll('button').find((each) => each.text() === label)!
    await button.trigger('click')
    await settle()
  }
  const labels = () => page.findAll('button').map((each) => each.text())
  return { page, noted, press, labels }
}

const posted = (noted: { method: string; path: string; body: unknown }[]) =>
  noted.filter((each) => each.method !== 'GET').map((each) => [each.path, each.body])

describe('the proposal of a release', () => {
  afterEach(() => {
    vi.unstubAllGlobals()
    session.roles = ['analyst']
    session.isOwn = true
    document.body.innerHTML = ''
  })

  it('an analyst proposes with a word', async () => {
    const { page, noted, press, labels } = await opened(null)
    expect(labels()).toEqual(['Propose the release'])
    await page.find('textarea').setValue('all there')
    await press('Propose the release')
    expect(posted(noted)).toEqual([['/api/deliveries/3/proposal', { run: 7, word: 'all there' }]])
    expect(page.emitted('changed')).toHaveLength(1)
  })

  it('who proposed reads what was asked, answers and may cancel', async () => {
    const { page, noted, press, labels } = await opened(PROPOSAL)
    expect(page.text()).toContain('March is complete')
    expect(page.text()).toContain('Why so few?')
    expect(labels()).toEqual(['Answer', 'Cancel the proposal'])
    expect(page.find('button').attributes('disabled')).toBeDefined()
    await page.find('textarea').setValue('Two sites closed')
    await press('Answer')
    await press('Cancel the proposal')
    expect(posted(noted)).toEqual([
      ['/api/proposals/5/remarks', { text: 'Two sites closed' }],
      ['/api/proposals/5/cancel', undefined],
    ])
  })

  it('an approver publishes, declines or asks; declining takes a reason', async () => {
    session.roles = ['analyst', 'approver']
    session.isOwn = false
    const { page, noted, press, labels } = await opened(PROPOSAL)
    expect(labels()).toEqual(['Publish 12 records', 'Decline', 'Ask'])
    await press('Decline')
    expect(posted(noted)).toEqual([])
    await page.find('textarea').setValue('D is wrong')
    await press('Decline')
    await press('Publish 12 records')
    expect(posted(noted)).toEqual([
      ['/api/proposals/5/decline', { reason: 'D is wrong' }],
      ['/api/deliveries/3/release', { run: 7, word: '' }],
    ])
  })

  it.each([
    ['a gate is open', { blocked: true, openGates: 1 }, '', '1 gate is open, so it waits.'],
    [
      'a second person has to',
      {},
      'You proposed this release.',
      'You proposed this release. In this feed a second',
    ],
  ])('nothing is published while %s', async (_, more, whyNot, words) => {
    session.roles = ['analyst', 'approver']
    const { page } = await opened(PROPOSAL, more, whyNot)
    expect(page.find('button').attributes('disabled')).toBeDefined()
    expect(page.text()).toContain(words)
  })

  it.each([
    [{ state: 'declined', decided_by: 'App', decided_at: '2026-11-28T10:00:00Z', answer: 'D is wrong' }, 'declined by App'],
    [{ outdated: true }, 'The delivery was run again since'],
  ])('one that waits for nobody says so and is proposed anew', async (more, words) => {
    const { page, labels } = await opened({ ...PROPOSAL, ...more })
    expect(page.text()).toContain(words)
    expect(labels()).toEqual(['Propose the release'])
  }) // prettier-ignore

  it('a viewer sees the words and no button', async () => {
    session.roles = []
    const { page, labels } = await opened(PROPOSAL)
    expect(page.text()).toContain('March is complete')
    expect(labels()).toEqual([])
  })
})
