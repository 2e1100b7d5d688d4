/** Import settings in words. */
import type { Schemas } from '@/api/client'

export type Request = Schemas['SettingsRequest']

export const DELIMITERS: [string, string][] = [
  [',', 'comma'],
  [';', 'semicolon'],
  ['\t', 'tab'],
  ['|', 'pipe'],
  [':', 'colon'],
  [' ', 'space'],
  ['^', 'caret'],
  ['~', 'tilde'],
]
export const ENCODINGS = [
  'utf-8',
  'cp1252',
  'iso8859-1',
  'iso8859-15',
  'cp1250',
  'cp437',
  'mac-roman',
  'utf-16',
  'utf-16-le',
  'utf-16-be',
]
export const QUOTES: [string, string][] = [
  ['"', 'double "'],
  ["'", "single '"],
  ['', 'none'],
]

/** Names typed as a list, one a line or separated by commas; null when nothing is typed. */
export function namesFrom(typed: string): string[] | null {
  const names = typed
    .split(/[\n,]/)
    .map((name) => name.trim())
    .filter(Boolean)
  return names.length ? names : null
}

/** Only what is chosen: the request without its empty entries. */
export function chosen(request: Request): Request {
  return Object.fromEntries(
    Object.entries(request).filter(([, value]) => value !== null && value !== undefined),
  )
}

/** A raw line cut at its delimiters, with its line end in a visible form. */
export function lineParts(text: string, delimiter: string): { cells: string[]; end: string } {
  const end = text.endsWith('\r\n') ? '␍↵' : text.endsWith('\n') ? '↵' : text.endsWith('\r') ? '␍' : ''
  return { cells: text.replace(/[\r\n]+$/, '').split(delimiter), end }
}
