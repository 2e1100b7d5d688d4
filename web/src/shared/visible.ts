/** What cannot be seen in a text, made visible. */
export interface Piece {
  text: string
  mark: boolean
  name?: string
}

const NAMES: Record<string, [string, string]> = {
  ' ': ['·', 'space'],
  '\t': ['→', 'tab'],
  '\n': ['↵', 'line feed'],
  '\r': ['←', 'carriage return'],
  '\u00a0': ['⍽', 'no-break space'],
  '\u200b': ['∅', 'zero width space'],
  '\ufeff': ['∅', 'byte order mark'],
}

/** Cut a text into pieces; spaces are marked at its ends only, other invisible characters everywhere. */
export function piecesOf(text: string): Piece[] {
  const inner = text.trim()
  const from = inner ? text.indexOf(inner) : text.length
  const to = from + inner.length
  const pieces: Piece[] = []
  for (let at = 0; at < text.length; at += 1) {
    const char = text[at] as string
    const known = NAMES[char]
    const control = char < ' ' || (char >= '\u007f' && char < '\u00a0')
    const mark = (known && (char !== ' ' || at < from || at >= to)) || control
    if (mark)
      pieces.push({
        text: known?.[0] ?? '�',
        mark: true,
        name: known?.[1] ?? `character ${char.charCodeAt(0)}`,
      })
    else if (pieces.at(-1)?.mark === false) (pieces.at(-1) as Piece).text += char
    else pieces.push({ text: char, mark: false })
  }
  return pieces
}
