/** A measure over deliveries as a drawing: where its points, limits and labels lie. */
import type { Schemas } from '@/api/client'
import { measure as written } from '@/shared'

export type Point = Schemas['MeasurePoint']

export interface Drawing {
  line: string
  band: string
  dots: { x: number; y: number; point: Point }[]
  low: number
  high: number
}

/** The line through the points, the band between their limits, and the range that is drawn; in a box of `width` by `height`. */
export function drawn(points: readonly Point[], width: number, height: number): Drawing {
  const all = points.flatMap((point) => [point.value, point.low, point.high]).filter((n) => n !== null)
  const least = Math.min(...all)
  const most = Math.max(...all)
  const margin = (most - least || Math.abs(most) || 1) * 0.06
  const low = least >= 0 ? Math.max(0, least - margin) : least - margin
  const high = most + margin
  const step = points.length > 1 ? width / (points.length - 1) : 0
  const x = (place: number) => round(points.length > 1 ? place * step : width / 2)
  const y = (value: number) => round(height - ((value - low) / (high - low)) * height)
  const limited = points.map((point, place) => ({ point, place })).filter(({ point }) => point.high !== null)
  const upper = limited.map(({ point, place }) => `${x(place)} ${y(point.high!)}`)
  const lower = limited.map(({ point, place }) => `${x(place)} ${y(point.low!)}`).reverse()
  return {
    line: points.map((point, place) => `${place ? 'L' : 'M'}${x(place)} ${y(point.value)}`).join(''),
    band: limited.length > 1 ? `M${[...upper, ...lower].join('L')}z` : '',
    dots: points.map((point, place) => ({ x: x(place), y: y(point.value), point })),
    low,
    high,
  }
}

const round = (n: number) => Math.round(n * 10) / 10

/** A measure in its own unit: shares in percent. */
export function inWords(scale: string, about: string, value: number): string {
  if (scale === 'share' || about === 'mix of values') return `${Number((100 * value).toPrecision(3))} %`
  return written(Number(value.toPrecision(4)))
}

/** A small line through values, broken where a delivery has none: its path, and where each value lies. */
export function smallLine(
  values: readonly (number | null)[],
  width: number,
  height: number,
): { line: string; dots: ({ x: number; y: number } | null)[] } {
  const known = values.filter((value) => value !== null)
  const low = Math.min(...known)
  const range = Math.max(...known) - low
  const step = values.length > 1 ? width / (values.length - 1) : 0
  const dots = values.map((value, place) =>
    value === null
      ? null
      : {
          x: round(place * step),
          y: range ? round(height - ((value - low) / range) * height) : round(height / 2),
        },
  )
  const line = dots
    .map((dot, place) => (dot ? `${dots[place - 1] ? 'L' : 'M'}${dot.x} ${dot.y}` : ''))
    .join('')
  return { line, dots }
}

/** The measures as people choose them. */
export const MEASURES: Record<string, string> = {
  missing: 'missing',
  unreadable: 'does not read as its type',
  'distinct values': 'distinct values',
  repeated: 'repeat a value',
  mean: 'mean, without what is far off',
  spread: 'standard deviation, without what is far off',
  'far off': 'far off',
  'low end': 'low end (1 % are below)',
  'high end': 'high end (1 % are above)',
  'age of the newest date': 'days from the newest date to the arrival',
  records: 'records',
  quarantined: 'quarantined',
  broken: 'break a check',
}
