/** How numbers, dates and sizes are written. */
const whole = new Intl.NumberFormat('en-US')

export const count = (n: number): string => whole.format(n)

/** A share of a whole: "97 %", "0.4 %", "0 %"; nothing rounds to 0 or 100 that is not. */
export function share(part: number, all: number): string {
  if (!all || part === 0) return '0 %'
  if (part === all) return '100 %'
  const percent = (100 * part) / all
  if (percent < 0.1) return '< 0.1 %'
  if (percent > 99.9) return '> 99.9 %'
  return `${percent < 10 || percent > 99 ? percent.toFixed(1) : percent.toFixed(0)} %`
}

/** A measured number, at most six significant digits. */
export function measure(value: number | null | undefined): string {
  if (value === null || value === undefined) return '–'
  if (Number.isInteger(value) && Math.abs(value) < 1e15) return count(value)
  const shown = Number(value.toPrecision(6))
  return Math.abs(shown) >= 1e15 || Math.abs(shown) < 1e-4
    ? shown.toExponential()
    : shown.toLocaleString('en-US', { maximumFractionDigits: 10 })
}

/** A number with all its digits, as the shortest text that means it. */
export function exactly(value: number | null | undefined): string {
  if (value === null || value === undefined) return '–'
  const text = String(value)
  if (!/^-?\d+(\.\d+)?$/.test(text)) return text
  const [whole = '', fraction] = text.split('.')
  return whole.replace(/\B(?=(\d{3})+$)/g, ',') + (fraction ? `.${fraction}` : '')
}

export const plural = (n: number, item: string, many = item + 's'): string =>
  `${count(n)} ${n === 1 ? item : many}`

/** The day of a moment, ISO 8601. */
export const day = (moment: string): string => moment.slice(0, 10)

/** Day and minute of a moment in the reader's time zone. */
export function minute(moment: string): string {
  const at = new Date(moment)
  const two = (n: number) => String(n).padStart(2, '0')
  return `${at.getFullYear()}-${two(at.getMonth() + 1)}-${two(at.getDate())} ${two(at.getHours())}:${two(at.getMinutes())}`
}

export function bytes(n: number): string {
  if (n < 1000) return `${n} B`
  const steps = ['kB', 'MB', 'GB']
  let value = n / 1000
  let at = 0
  while (value >= 1000 && at < 2) {
    value /= 1000
    at += 1
  }
  return `${value.toFixed(value < 10 ? 1 : 0)} ${steps[at]}`
}
