import { describe, expect, it } from 'vitest'
import { markOf } from './logic/work'

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
