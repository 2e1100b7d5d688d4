import type { Schemas } from '@/api/client'
import { answering, shown, type Asked } from '@/testing/page'
import { flushPromises } from '@vue/test-utils'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { defineComponent } from 'vue'
import { stageOf, useDelivery, useFreshAfterWork, useLiveWork, withProgress } from './delivery'

type Going = Schemas['WorkOut']['jobs'][number]
const going = (more: Partial<Going>): Going => ({
  id: 5, kind: 'run', delivery_id: 9, state: 'working', step: 'running the rules', share: 0.2, ...more,
}) // prettier-ignore
const job = { id: 5, kind: 'run', target: 1, state: 'waiting', step: '', share: 0, error: null }
const workspace = (more: object) => ({ id: 9, job: null, last_job: null, ...more }) as Schemas['WorkspaceOut']

describe('what is known of a job since', () => {
  it('goes into the workspace that shows it', () => {
    const now = withProgress(workspace({ job }), { newest: 5, jobs: [going({})] })
    expect(now.job).toEqual({ ...job, state: 'working', step: 'running the rules', share: 0.2 })
  })
  it('leaves a workspace alone whose job is another one, or over', () => {
    const other = workspace({ job: { ...job, id: 4 } })
    expect(withProgress(other, { newest: 5, jobs: [going({})] })).toBe(other)
    expect(withProgress(other, { newest: 5, jobs: [] })).toBe(other)
    const idle = workspace({})
    expect(withProgress(idle, { newest: 5, jobs: [going({})] })).toBe(idle)
  })
})

describe('the stage of the work on a delivery', () => {
  const stage = (...jobs: Going[]) => stageOf({ newest: 5, jobs }, 9)
  it('is the same while a step counts', () => {
    expect(stage(going({ step: 'profiled 3 of 1,200 columns', share: 0.3 }))).toBe(
      stage(going({ step: 'profiled 999 of 1,200 columns', share: 0.9 })),
    )
  })
  it('is another one when the step, the state or the job changes', () => {
    const before = stage(going({ step: 'reading' }))
    expect(stage(going({ step: 'profiled 1 of 2 columns' }))).not.toBe(before)
    expect(stage(going({ step: 'reading', state: 'waiting' }))).not.toBe(before)
    expect(stage(going({ step: 'reading', id: 6 }))).not.toBe(before)
    expect(stage()).not.toBe(before)
  })
  it('is not about the work on other deliveries', () => {
    expect(stage(going({}), going({ id: 6, delivery_id: 8 }))).toBe(stage(going({})))
    expect(stageOf(undefined, 9)).toBe('')
  })
})

describe('an open delivery', () => {
  beforeEach(() => vi.useFakeTimers())
  afterEach(() => {
    vi.useRealTimers()
    vi.unstubAllGlobals()
  })
  const Page = defineComponent({
    setup() {
      const { id, delivery } = useDelivery()
      useLiveWork(id, delivery)
      useFreshAfterWork(delivery)
      return { delivery }
    },
    template: '<p>{{ delivery?.job?.step ?? "idle" }}</p>',
  })
  const times = (asked: Asked[], path: string) => asked.filter((request) => request.path === path).length

  it('asks for work only while work counts, and for itself when it ends', async () => {
    let jobs = [going({ step: 'profiled 1 of 9 columns' })]
    const asked = answering({
      'GET /api/deliveries/9': () =>
        workspace(jobs.length ? { job: { ...job, step: 'profiled 1 of 9 columns' } } : { last_job: job }),
      'GET /api/jobs': () => ({ newest: 5, jobs }),
    })
    const page = await shown(Page, {}, '/deliveries/9')
    await vi.advanceTimersByTimeAsync(600)
    const before = times(asked, '/api/deliveries/9')
    jobs = [going({ step: 'profiled 4 of 9 columns' })]
    await vi.advanceTimersByTimeAsync(1_200)
    expect(page.text()).toBe('profiled 4 of 9 columns')
    expect(times(asked, '/api/deliveries/9')).toBe(before)
    const worked = times(asked, '/api/jobs')
    expect(worked).toBeGreaterThan(2)
    jobs = []
    await vi.advanceTimersByTimeAsync(700)
    await flushPromises()
    expect(page.text()).toBe('idle')
    expect(times(asked, '/api/deliveries/9')).toBe(before + 1)
    page.unmount()
  })

  it('hears of work too short to be seen going on', async () => {
    let newest = 5
    const asked = answering({
      'GET /api/deliveries/9': () => workspace({ last_job: { ...job, id: newest } }),
      'GET /api/jobs': () => ({ newest, jobs: [] }),
    })
    const page = await shown(Page, {}, '/deliveries/9')
    await vi.advanceTimersByTimeAsync(100)
    const before = times(asked, '/api/deliveries/9')
    newest = 6
    await vi.advanceTimersByTimeAsync(3_500)
    expect(times(asked, '/api/deliveries/9')).toBe(before + 1)
    page.unmount()
  })
})
