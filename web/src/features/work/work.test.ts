import { api, unwrap } from '@/api/client'
import { answering, shown } from '@/testing/page'
import { useQuery } from '@tanstack/vue-query'
import { flushPromises } from '@vue/test-utils'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { defineComponent, ref } from 'vue'
import { markOf, useFreshWithWork, useWorkKnown } from './logic/work'

describe('the mark of work', () => {
  it('changes when a job begins or ends, and only then', () => {
    const at = (newest: number, ...ids: number[]) => markOf({ newest, jobs: ids.map((id) => ({ id })) })
    expect(at(7, 7)).not.toBe(at(7))
    expect(at(7, 7)).not.toBe(at(8, 7))
    expect(at(8)).not.toBe(at(7))
    expect(at(7, 6, 7)).toBe(at(7, 6, 7))
    expect(markOf(undefined)).toBe('')
  })
})

describe('a page within the frame', () => {
  beforeEach(() => vi.useFakeTimers())
  afterEach(() => {
    vi.useRealTimers()
    vi.unstubAllGlobals()
  })
  const Releases = {
    setup() {
      const { data } = useQuery({
        queryKey: ['releases'],
        queryFn: () => unwrap(api.GET('/api/releases')),
        staleTime: 60_000,
      })
      useFreshWithWork('releases')
      return { data }
    },
    template: '<b>{{ data?.length }}</b>',
  }
  const open = ref(true)
  const Frame = defineComponent({
    components: { Releases },
    setup: () => ({ known: useWorkKnown(), open }),
    template: '<Releases v-if="known && open" />',
  })
  /** A frame over a server on which a release is being published until `end` is called. */
  async function publishing() {
    open.value = true
    let over = false
    const asked = answering({
      'GET /api/jobs': () => ({ newest: 5, jobs: over ? [] : [{ id: 5 }] }),
      'GET /api/releases': () => (over ? [{}, {}] : [{}]),
    })
    const page = await shown(Frame, {})
    const end = async () => {
      over = true
      await vi.advanceTimersByTimeAsync(600)
      await flushPromises()
    }
    return { page, asked, end }
  }

  it('asks for what it shows after it is known what work goes on', async () => {
    const { page, asked } = await publishing()
    expect(asked.map((each) => each.path).slice(0, 2)).toEqual(['/api/jobs', '/api/releases'])
    expect(page.text()).toBe('1')
  })
  it('shows what the work made when it ends', async () => {
    const { page, end } = await publishing()
    await end()
    expect(page.text()).toBe('2')
  })
  it('shows what work made that ended while the page was not open', async () => {
    const { page, end } = await publishing()
    open.value = false
    await flushPromises()
    await end()
    open.value = true
    await flushPromises()
    expect(page.text()).toBe('2')
  })
})
