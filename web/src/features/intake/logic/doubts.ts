/** Doubts of a source by the setting that they are about, in words. */
import type { Schemas } from '@/api/client'

type Doubt = Schemas['DoubtOut']

interface Words {
  says: (lines: string) => string
  word: (value: string) => string
}

const yesNo =
  (yes: string, no: string) =>
  (value: string): string =>
    value === 'true' ? yes : no
const WORDS: Record<string, Words> = {
  encoding: {
    says: (lines) => `${lines} would read differently in another encoding`,
    word: (value) => value,
  },
  header_rows: {
    says: () => 'The first line is used as the names of the columns, because nothing shows it for certain',
    word: (value) => (value === '0' ? 'no header' : 'a header'),
  },
  escape: {
    says: (lines) => `${lines} would read differently with or without a backslash as escape mark`,
    word: (value) => (value ? 'escape mark' : 'plain backslash'),
  },
  spaced_quotes: {
    says: (lines) => `In ${lines} quotation marks stand after spaces`,
    word: yesNo('around a field', 'part of the text'),
  },
  trailing_delimiter: {
    says: (lines) => `${lines} end with a delimiter`,
    word: yesNo('it ends the line', 'the last column is empty'),
  },
  quote: {
    says: (lines) => `In ${lines} a quoted field spans several lines that could be records`,
    word: (value) => (value ? 'one field' : 'no quotation marks'),
  },
}

/** Doubts grouped by setting, the encoding last; with the words for them. */
export function doubtsBySetting(doubts: Doubt[]): ({ about: string; doubts: Doubt[] } & Words)[] {
  return Object.keys(WORDS)
    .reverse()
    .map((about) => ({ about, doubts: doubts.filter((doubt) => doubt.about === about), ...WORDS[about]! }))
    .filter((group) => group.doubts.length)
}

/** The value of a setting from the name of a reading. */
export function settingOf(about: string, name: string): unknown {
  if (about === 'header_rows') return Number(name)
  if (about === 'spaced_quotes' || about === 'trailing_delimiter') return name === 'true'
  return name
}

/** The readings of a doubtful line, values that read it alike together. */
export function readingsOf(readings: Record<string, string>): { names: string[]; text: string }[] {
  const byLine = new Map<string, string[]>()
  for (const [name, text] of Object.entries(readings)) byLine.set(text, [...(byLine.get(text) ?? []), name])
  return [...byLine].map(([text, names]) => ({ names, text }))
}
