/** What was typed to add a rule, such as "trim lab": words that name a column, and words that say what to do. */
import type { Schemas } from '@/api/client'

export interface Asked {
  kind: Schemas['KindOut']
  column?: string
}

const plain = (text: string) => text.toLowerCase().replace(/[^\p{L}\p{N}]+/gu, ' ')

/** Kinds that fit, the most fitting first; a word that only a column fits is taken for the column. */
export function asked(
  typed: string,
  kinds: Schemas['KindOut'][],
  columns: string[],
  given?: string,
): Asked[] {
  const words = plain(typed).split(' ').filter(Boolean)
  if (!words.length) return kinds.map((kind) => ({ kind, column: given }))
  const matches: { asked: Asked; weight: number }[] = []
  for (const kind of kinds) {
    const title = plain(kind.title)
    const also = kind.synonyms.map((synonym) => plain(synonym).trim())
    const all = `${title} ${plain(kind.group)} ${plain(kind.about)} ${kind.kind} ${also.join(' ')}`
    // a word that is a column's whole name means the column, unless the kind is called so
    const named = (word: string) =>
      !title.includes(word) && columns.some((name) => plain(name).trim() === word)
    const rest = words.filter((word) => named(word) || !all.includes(word))
    const matching = words.filter((word) => !rest.includes(word))
    if (!matching.length && !rest.length) continue
    const column = rest.length ? columnFor(rest, columns) : given
    if (rest.length && !column) continue
    if (!matching.length) continue
    const weight =
      matching.filter((word) => title.includes(word)).length * 2 +
      (title.startsWith(matching[0] ?? '') ? 1 : 0) +
      (title.includes(matching.join(' ')) ? 0.5 : 0) + // one after the other, as typed
      (also.includes(matching.join(' ')) ? 2.5 : 0)
    matches.push({ asked: { kind, column }, weight })
  }
  return matches.sort((a, b) => b.weight - a.weight).map(({ asked: one }) => one)
}

/** The column that all words fit: one that begins so before one that holds them. */
function columnFor(words: string[], columns: string[]): string | undefined {
  const fits = columns.filter((name) => words.every((word) => plain(name).includes(word)))
  return fits.sort(
    (a, b) => Number(plain(b).startsWith(words[0] ?? '')) - Number(plain(a).startsWith(words[0] ?? '')),
  )[0]
}
