import { shown } from '@/testing/page'
import { describe, expect, it } from 'vitest'
import FindingsView from './FindingsView.vue'

const view = (unjudged: string[]) =>
  shown(
    FindingsView,
    {
      shown: [], all: [], unjudged, chosen: undefined, last: undefined, methodOf: () => '', mayWork: true, busy: false,
      error: null, find: '', state: 'open', severity: '',
    },
    '/deliveries/3?view=findings',
  ) // prettier-ignore

describe('what could not be looked for', () => {
  it('is told above the list, so that an empty list is no promise', async () => {
    const page = await view(['shifted (it needs more memory than is allowed)', 'groups'])
    expect(page.get('[role="status"]').text()).toBe(
      'Could not be looked for in this delivery, so that the list may lack some: shifted (it needs more memory than is allowed), groups.',
    )
  })
  it('is not there where all was', async () => {
    const page = await view([])
    expect(page.find('[role="status"]').exists()).toBe(false)
    expect(page.text()).toContain('Nothing was noticed in this delivery.')
  })
})
