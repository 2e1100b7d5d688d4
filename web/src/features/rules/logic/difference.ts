/** What differs between a value before and after: the part in the middle, between a shared beginning and end. */
export interface Difference {
  start: string
  before: string
  after: string
  end: string
}

export function difference(before: string, after: string): Difference {
  const shortest = Math.min(before.length, after.length)
  let start = 0
  while (start < shortest && before[start] === after[start]) start += 1
  let end = 0
  while (end < shortest - start && before.at(-1 - end) === after.at(-1 - end)) end += 1
  return {
    start: before.slice(0, start),
    before: before.slice(start, before.length - end),
    after: after.slice(start, after.length - end),
    end: end ? before.slice(-end) : '',
  }
}
