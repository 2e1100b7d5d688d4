/** The calendar of feeds: the days of a month, and what stands on each. */
import type { Schemas } from '@/api/client'
import { day, finder, minute } from '@/shared'
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

/** This day on the reader's clock. */
export const today = (): string => day(minute(new Date().toISOString()))

/** Whether a text names a month: "2026-12". */
export const isMonth = (text: unknown): text is string =>
  typeof text === 'string' && /^(199\d|20\d\d|21\d\d)-(0[1-9]|1[0-2])$/.test(text)

/** A day of a month, from 1; 0 is the last of the month before. In UTC, where all days are as long. */
function at(month: string, number: number, later = 0): Date {
  return new Date(Date.UTC(Number(month.slice(0, 4)), Number(month.slice(5)) - 1 + later, number))
}

/** The month so many months later. */
export const later = (month: string, by: number): string => at(month, 1, by).toISOString().slice(0, 7)

/** The days of a month, with the day of the week that each is. */
export function daysOf(month: string): Day[] {
  const many = at(month, 0, 1).getUTCDate()
  return Array.from({ length: many }, (_, place) => {
    const date = at(month, place + 1)
    const weekday = (date.getUTCDay() + 6) % 7
    return { day: day(date.toISOString()), number: place + 1, of: DAYS[weekday] ?? '', isRest: weekday > 4 }
  })
}

/** A month in words: "December 2026". */
export const inWords = (month: string): string =>
  new Intl.DateTimeFormat('en', { month: 'long', year: 'numeric', timeZone: 'UTC' }).format(at(month, 1))

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
  const fits = finder(search)
  const fit = lines.filter((line) => fits(line.name, line.supplier, line.owner) && (!onlyLate || calls(line)))
  return fit.sort((a, b) => Number(calls(b)) - Number(calls(a)))
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
