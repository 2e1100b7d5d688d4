import { describe, expect, it } from 'vitest'
import { detailsOf } from './details'

describe('details of an entry', () => {
  it('are words, not braces', () => {
    const details = {
      by: 'upload',
      files: ['a.csv', 'b.csv'],
      settings: { columns: { Tag: 'day', Jahr: 'year' }, source_column: 'origin' },
    }
    expect(detailsOf(details)).toBe(
      'by upload; files a.csv, b.csv; settings columns (Tag → day, Jahr → year), source column origin',
    )
  })
  it('leave away what is empty, and keep a nought', () => {
    expect(detailsOf({ settings: {}, note: '', of: null, list: [], lost: 0, is_new: true })).toBe(
      'lost 0; is new yes',
    )
  })
})
