import { describe, expect, it } from 'vitest'
import { drawn, inWords, type Point } from './logic/measure'

const point = (
  number: number,
  value: number,
  low: number | null = null,
  high: number | null = null,
): Point => ({
  number,
  received: '2026-01-05T08:00:00Z',
  value,
  low,
  high,
  outside: high !== null && value > high,
  expected: false,
})

describe('a measure over deliveries', () => {
  const points = [point(1, 10), point(2, 12), point(3, 11, 8, 14), point(4, 30, 8, 14)]
  const shape = drawn(points, 300, 100)
  it('lies from the first delivery to the last, the larger the higher', () => {
    expect(shape.dots.map((dot) => dot.x)).toEqual([0, 100, 200, 300])
    expect(shape.dots[3]!.y).toBeLessThan(shape.dots[1]!.y)
    expect(shape.line).toMatch(/^M0 [\d.]+L100 [\d.]+L200 [\d.]+L300 [\d.]+$/)
  })
  it('keeps values and limits within the drawing', () => {
    for (const { y } of shape.dots) expect(y).toBeGreaterThan(0)
    for (const { y } of shape.dots) expect(y).toBeLessThan(100)
    expect(shape.low).toBeLessThan(8)
    expect(shape.high).toBeGreaterThan(30)
  })
  it('has a band where limits are known, and none before', () => {
    expect(shape.band.split('L')).toHaveLength(4)
    expect(shape.band).toContain('M200 ')
    expect(drawn(points.slice(0, 2), 300, 100).band).toBe('')
  })
  it('does not fail on one delivery, or on values that never change', () => {
    expect(drawn([point(1, 5)], 300, 100).dots[0]).toMatchObject({ x: 150 })
    for (const { y } of drawn([point(1, 0), point(2, 0)], 300, 100).dots)
      expect(Number.isFinite(y)).toBe(true)
  })
})

it('shares are told in percent, other measures as numbers', () => {
  expect(inWords('share', 'missing', 0.0225)).toBe('2.25 %')
  expect(inWords('value', 'mix of values', 0.0815)).toBe('8.15 %')
  expect(inWords('size', 'records', 1348)).toBe('1,348')
  expect(inWords('value', 'mean', 12.34567)).toBe('12.35')
})
