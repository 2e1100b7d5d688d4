/** What can be typed next in a formula: columns, functions, and inside a text the values of the column before it. */
import type { Schemas } from '@/api/client'
import type { CompletionContext, CompletionResult } from '@codemirror/autocomplete'
import type { EditorView } from '@codemirror/view'

export interface Offered {
  columns: [string, string][]
  /** parameters of the library: names and types */
  parameters: [string, string][]
  functions: Schemas['FunctionOut'][]
  values: (column: string, part: string) => Promise<string[]>
}

const PLAIN = /^[a-z_]\w*$/
export const quoted = (name: string): string => (PLAIN.test(name) ? name : `"${name.replaceAll('"', '""')}"`)

/** The column that a text is compared with, and what of the text is typed: `site = 'a` or `site in ('b', 'a`. */
export function inText(before: string): { column: string; part: string; from: number } | null {
  const open = before.lastIndexOf("'")
  if (
    open < 0 ||
    before
      .slice(0, open + 1)
      .replaceAll("''", '')
      .split("'").length %
      2 ===
      1
  )
    return null
  const comparison =
    /(?:"([^"]+)"|(\w+))\s*(?:=|<>|!=|(?:not\s+)?in\s*\((?:[^()]*,)?|(?:not\s+)?like)\s*$/i.exec(
      before.slice(0, open),
    )
  return comparison
    ? { column: comparison[1] ?? comparison[2] ?? '', part: before.slice(open + 1), from: open + 1 }
    : null
}

/** A signature as it is read: `text, number?=0 -> text` as `text, number = 0 → text`. */
const takesAndGives = (signature: string): string =>
  signature.replace('->', '→').replaceAll('?=', ' = ').trim()

export async function completing(
  context: CompletionContext,
  offered: Offered,
): Promise<CompletionResult | null> {
  const before = context.state.doc.sliceString(0, context.pos)
  const text = inText(before)
  if (text) {
    const values = await offered.values(text.column, text.part)
    return {
      from: text.from,
      filter: false,
      options: values.map((value) => ({ label: value, apply: value.replaceAll("'", "''") + "'" })),
    }
  }
  if (before.replaceAll("''", '').split("'").length % 2 === 0) return null
  const word = context.matchBefore(/"[^"]*|:\w*|\w+/)
  if (!word && !context.explicit) return null
  return {
    from: word?.from ?? context.pos,
    validFor: /^[":]?[\w .]*$/,
    options: [
      ...offered.parameters.map(([name, type]) => ({ label: `:${name}`, detail: `parameter, ${type}` })),
      ...offered.columns.map(([name, type]) => ({
        label: name,
        detail: type,
        apply: quoted(name),
        boost: 1,
      })),
      ...offered.functions.map((eachFunction) => ({
        label: eachFunction.name,
        detail: takesAndGives(eachFunction.signature),
        boost: eachFunction.example ? 0 : -10, // other names of ours come last
        info: !eachFunction.per_record
          ? `${eachFunction.about} As in ${eachFunction.example}`
          : eachFunction.example
            ? `${eachFunction.about} ${eachFunction.example} is ${eachFunction.result}`
            : eachFunction.about,
        apply: (view: EditorView, _: unknown, from: number, to: number) =>
          view.dispatch({
            changes: { from, to, insert: eachFunction.insert.replace('|', '') },
            selection: { anchor: from + eachFunction.insert.indexOf('|') },
          }),
      })),
    ],
  }
}
