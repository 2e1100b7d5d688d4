import { answering, shown } from '@/testing/page'
import { flushPromises } from '@vue/test-utils'
import { afterEach, describe, expect, it, vi } from 'vitest'
import ProfileViews from './ProfileViews.vue'

const RULES = [
  { number: 1, rule: { id: 'trim-1' }, sentence: [{ text: 'Trim town.' }] },
  { number: 2, rule: { id: 'unique-1' }, sentence: [{ text: 'Town is unique.' }] },
]

async function views(path: string, rules: unknown[] = RULES) {
  answering({ 'GET /api/feeds/rooms/rulebook': () => ({ rules }) })
  const page = await shown(ProfileViews, { view: 'register', columns: 12, findings: 3, slug: 'rooms' }, path)
  await flushPromises()
  const router = page.vm.$router
  return {
    page,
    query: () => router.currentRoute.value.query,
    options: () => page.findAll('option').map((element) => element.text()),
  }
}

describe('the switch between the table as delivered and as rules leave it', () => {
  afterEach(() => vi.unstubAllGlobals())

  it('offers every rule and the end', async () => {
    const { options } = await views('/deliveries/9')
    expect(options()).toEqual([
      'as delivered',
      'after rule 1: Trim town.',
      'after rule 2: Town is unique.',
      'after all rules',
    ])
  })
  it('is not there before there are rules', async () => {
    const { page } = await views('/deliveries/9', [])
    expect(page.find('#profile-table').exists()).toBe(false)
  })
  it('goes into the address, and leaves behind what belongs to the other table', async () => {
    const { page, query } = await views(
      '/deliveries/9?column=town&finding=abc&records=delivered&where=[]&look=[]&view=findings',
    )
    await page.get('#profile-table').setValue('trim-1')
    await flushPromises()
    expect(query()).toEqual({ column: 'town', view: 'findings', after: 'trim-1' })
    await page.get('#profile-table').setValue('')
    await flushPromises()
    expect(query()).toEqual({ column: 'town', view: 'findings' })
  })
  it('stays when another view is opened', async () => {
    const { page } = await views('/deliveries/9?after=end')
    const links = page.findAll('a').map((element) => element.attributes('href'))
    expect(links.every((href) => href?.includes('after=end'))).toBe(true)
    expect((page.get('#profile-table').element as HTMLSelectElement).value).toBe('end')
  })
  it('says that a rule is gone', async () => {
    const { options } = await views('/deliveries/9?after=split-1')
    expect(options().at(-1)).toBe('after a rule that is gone')
  })
})
