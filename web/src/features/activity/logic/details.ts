/** What an entry tells besides, as words: nested facts are written out, empty ones left away. */

const isFacts = (value: unknown): value is Record<string, unknown> =>
  value !== null && typeof value === 'object' && !Array.isArray(value)

/** Facts about names ("Tag → day"), or facts that hold others ("columns (…), source column origin"). */
function facts(value: Record<string, unknown>): string {
  const nested = Object.values(value).some(isFacts)
  return Object.entries(value)
    .map(([name, value]) => [name, value, written(value)] as const)
    .filter(([, , text]) => text)
    .map(([name, value, text]) => {
      if (!nested) return `${name} → ${text}`
      return isFacts(value)
        ? `${name.replaceAll('_', ' ')} (${text})`
        : `${name.replaceAll('_', ' ')} ${text}`
    })
    .join(', ')
}

function written(value: unknown): string {
  if (Array.isArray(value)) return value.map(written).filter(Boolean).join(', ')
  if (isFacts(value)) return facts(value)
  if (value === true) return 'yes'
  return value === null || value === undefined || value === false ? '' : String(value)
}

/** The details of an entry as one line. */
export function detailsOf(details: Record<string, unknown>): string {
  return Object.entries(details)
    .map(([name, value]) => [name.replaceAll('_', ' '), written(value)] as const)
    .filter(([, text]) => text)
    .map(([name, text]) => `${name} ${text}`)
    .join('; ')
}
