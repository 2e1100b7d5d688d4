import { mount } from '@vue/test-utils'
import { describe, expect, it } from 'vitest'
import BalanceBar from './BalanceBar.vue'
import { bytes, count, exactly, measure, share } from './format'
import { piecesOf } from './visible'

describe('numbers', () => {
  it.each([
    [0, 10, '0 %'], [10, 10, '100 %'], [1, 10_000, '< 0.1 %'], [9_999, 10_000, '> 99.9 %'], [1, 3, '33 %'], [1, 40, '2.5 %'],
  ])('share %s of %s', (part, all, said) => expect(share(part, all)).toBe(said)) // prettier-ignore
  it('writes least, greatest and sum with all their digits', () => {
    expect([0.1, -1234567.891, 360697.25, 1e21, 12, null].map(exactly)).toEqual([
      '0.1', '-1,234,567.891', '360,697.25', '1e+21', '12', '–',
    ]) // prettier-ignore
  })
  it('keep what matters', () => {
    expect([count(1234567), measure(0.1234567), measure(null), measure(12000), bytes(1_500_000)]).toEqual([
      '1,234,567', '0.123457', '–', '12,000', '1.5 MB',
    ]) // prettier-ignore
  })
})

it('spaces at the ends and invisible characters are marked, spaces inside are not', () => {
  const marked = (text: string) =>
    piecesOf(text)
      .map((piece) => (piece.mark ? `[${piece.text}]` : piece.text))
      .join('')
  expect(marked(' a b ')).toBe('[·]a b[·]')
  expect(marked('a\u00a0b\tc')).toBe('a[⍽]b[→]c')
  expect(marked('  ')).toBe('[·][·]')
})

it('the balance bar says its parts and leaves empty ones out', () => {
  const balance = { delivered: 12, added: 0, ready: 9, corrected: 0, quarantined: 2, removed: 0, rejected: 1 }
  const bar = mount(BalanceBar, { props: { balance } })
  expect(bar.attributes('aria-label')).toBe(
    '12 delivered: 9 ready as delivered, 2 quarantined, 1 rejected line',
  )
  expect(bar.findAll('b').map((part) => part.classes()[0])).toEqual([
    'part-ready',
    'part-quarantined',
    'part-rejected',
  ])
})
