/** Which feeds a pattern of shared rules fits: addresses divided by commas, * for any characters, ? for one. Addresses hold letters,
 * digits and hyphens only.
 */

const asExpression = (part: string): RegExp =>
  new RegExp(
    `^${part
      .replace(/[.+^${}()|[\]\\]/g, '\\$&')
      .replaceAll('*', '.*')
      .replaceAll('?', '.')}$`,
    'i',
  )

export function fitting<Feed extends { slug: string }>(pattern: string, feeds: Feed[]): Feed[] {
  const parts = pattern
    .split(',')
    .map((part) => part.trim())
    .filter(Boolean)
    .map(asExpression)
  return feeds.filter((feed) => parts.some((part) => part.test(feed.slug)))
}
