/** The calendar of feeds: the days of a month, and what stands on each. */
import type { Schemas } from '@/api/client'
import { minute } from '@/shared'
import { DAYS } from './plan'

export type Line = Schemas['CalendarLine']
export type Entry = Schemas['CalendarEntry']

export const SORTS: Record<Entry['sort'], string> = {
  came: 'came',
  late: 'came late',
  again: 'came again',
  missing: 'is missing',
  due: 'is expected',
}
/** What stands out most on a day stands for it. */
const ORDER: Entry['sort'][] = ['missing', 'late', 'again', 'came', 'due']

export interface Day {
  day: string
  number: number
  of: string
  isRest: boolean
}

/** "2026-12" of a day of the reader's clock. */
export const monthOf = (date: Date): string =>
  `${date.getFullYear()}-${String(date.getMonth() + 1).padStart(2, '0')}`

/** Whether a text names a month: "2026-12". */
export const isMonth = (text: unknown): text is string =>
  typeof text === 'string' && /^(199\d|20\d\d|21\d\d)-(0[1-9]|1[0-2])$/.test(text)

/** The month so many months later. */
export function later(month: string, by: number): string {
  const [year = 0, number = 1] = month.split('-').map(Number)
  return monthOf(new Date(year, number - 1 + by, 1))
}

/** The days of a month, with the day of the week that each is. */
export function daysOf(month: string): Day[] {
  const [year = 0, number = 1] = month.split('-').map(Number)
  const many = new Date(Date.UTC(year, number, 0)).getUTCDate()
  return Array.from({ length: many }, (_, place) => {
    const at = (new Date(Date.UTC(year, number - 1, place + 1)).getUTCDay() + 6) % 7
    return {
      day: `${month}-${String(place + 1).padStart(2, '0')}`,
      number: place + 1,
      of: DAYS[at] ?? '',
      isRest: at > 4,
    }
  })
}

/** A month in words: "December 2026". */
export function inWords(month: string): string {
  const [year = 0, number = 1] = month.split('-').map(Number)
  return new Intl.DateTimeFormat('en', { month: 'long', year: 'numeric', timeZone: 'UTC' }).format(
    new Date(Date.UTC(year, number - 1, 1)),
  )
}

/** The entries of a line by day, what stands out most first. */
export function byDay(line: Line): Map<string, Entry[]> {
  const days = new Map<string, Entry[]>()
  for (const entry of line.entries) days.set(entry.day, [...(days.get(entry.day) ?? []), entry])
  for (const entries of days.values())
    entries.sort((a, b) => ORDER.indexOf(a.sort) - ORDER.indexOf(b.sort) || a.at.localeCompare(b.at))
  return days
}

const calls = (line: Line): boolean =>
  line.entries.some((entry) => entry.sort === 'missing' || entry.sort === 'late')

/** The feeds that fit a search, those to which something is missing or came late first, or they alone. */
export function fitting(lines: readonly Line[], search: string, onlyLate: boolean): Line[] {
  const word = search.trim().toLowerCase()
  const fit = lines.filter(
    (line) =>
      `${line.name} ${line.supplier} ${line.owner}`.toLowerCase().includes(word) &&
      (!onlyLate || calls(line)),
  )
  return [...fit].sort((a, b) => Number(calls(b)) - Number(calls(a)))
}

/** An entry in words: "delivery 24 came late", "a delivery is missing". */
export const entryInWords = (entry: Entry): string =>
  `${entry.number === null ? 'a delivery' : `delivery ${entry.number}`} ${SORTS[entry.sort]}`

/** When what came late was to come, and by when what is expected is. */
export const dueInWords = (entry: Entry): string =>
  !entry.due
    ? ''
    : entry.sort === 'late'
      ? `due ${minute(entry.due)}`
      : entry.sort === 'due'
        ? `by ${minute(entry.due)}`
        : ''
