/** What stands so many places further in a list (back, below 0), at most its end or beginning; none in an empty list. */
export function further<T>(list: readonly T[], from: T | undefined, by: number): T | undefined {
  const at = list.findIndex((item) => item === from)
  return list[Math.max(0, Math.min(list.length - 1, at + by))]
}
