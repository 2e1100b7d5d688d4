import { describe, expect, it } from 'vitest'
import { withRole } from './roles'

describe('roles', () => {
  it('are held beside each other, in the usual order', () => {
    expect(withRole(['approver'], 'analyst', true)).toEqual(['analyst', 'approver'])
    expect(withRole(['approver', 'analyst'], 'analyst', false)).toEqual(['approver'])
    expect(withRole(['analyst'], 'analyst', true)).toEqual(['analyst'])
  })
  it('are none that there is not', () => {
    expect(withRole(['owner'], 'viewer', true)).toEqual(['viewer'])
  })
})
