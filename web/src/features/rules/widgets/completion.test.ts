import { CompletionContext, type Completion } from '@codemirror/autocomplete'
import { EditorState } from '@codemirror/state'
import { EditorView } from '@codemirror/view'
import { expect, it } from 'vitest'
import { completing, type Offered } from './completion'

const offered: Offered = {
  columns: [['ph', 'decimal'], ['site name', 'text']],
  parameters: [['highest_ph', 'number']],
  functions: [
    { name: 'cast', group: 'As SQL writes it', signature: 'cast(value as type)', about: 'As another type.', example: "cast('7' as integer)", result: '7', insert: 'cast(| as )', per_record: true },
    { name: 'len', group: 'Other names', signature: 'text, number?=0 -> text', about: 'The same as length(…).', example: '', result: '', insert: 'len(|)', per_record: true },
    { name: 'rank', group: 'Over a group of records', signature: ' -> number', about: 'The rank.', example: 'rank() over (order by ph)', result: '', insert: 'rank() over (partition by |)', per_record: false },
  ],
  values: (column, part) => Promise.resolve(column === 'site name' ? [`${part}nna's`] : []),
} // prettier-ignore

/** What is offered at the end of a text. */
async function at(text: string, explicit = false) {
  return completing(new CompletionContext(EditorState.create({ doc: text }), text.length, explicit), offered)
}
/** The text and the place of the cursor after an offer is taken. */
async function taken(text: string, label: string): Promise<[string, number]> {
  const result = await at(text)
  const option = result!.options.find((each) => each.label === label) as Completion
  const view = new EditorView({ state: EditorState.create({ doc: text }) })
  if (typeof option.apply === 'function') option.apply(view, option, result!.from, text.length)
  return [view.state.doc.toString(), view.state.selection.main.head]
}

it('a form of SQL is put in with the cursor where one begins to type', async () => {
  expect(await taken('1 + ca', 'cast')).toEqual(['1 + cast( as )', 9])
  expect(await taken('le', 'len')).toEqual(['len()', 4])
})

it('columns, functions and forms are offered with what they are', async () => {
  const options = (await at('p'))!.options
  expect(options.map(({ label, detail }) => `${label}: ${detail}`)).toEqual([
    ':highest_ph: parameter, number', 'ph: decimal', 'site name: text', 'cast: cast(value as type)', 'len: text, number = 0 → text', 'rank: → number',
  ]) // prettier-ignore
  expect(options.map(({ boost }) => boost)).toEqual([undefined, 1, 1, 0, -10, 0])
  expect(options[2]!.apply).toBe('"site name"')
  expect(options[3]!.info).toBe("As another type. cast('7' as integer) is 7")
  expect(options[4]!.info).toBe('The same as length(…).')
  expect(options[5]!.info).toBe('The rank. As in rank() over (order by ph)')
})

it('inside a text the values of the column before it are offered, and nothing else', async () => {
  expect((await at('"site name" = \'A'))!.options).toEqual([{ label: "Anna's", apply: "Anna''s'" }])
  expect(await at("'abc")).toBeNull()
  expect(await at('1 + ')).toBeNull()
  expect((await at('1 + ', true))!.options).toHaveLength(6)
})

it('after a colon a parameter is put in as a whole, in place of the colon too', async () => {
  const result = (await at('ph > :hi'))!
  expect([result.from, result.options[0]!.label]).toEqual([5, ':highest_ph'])
  expect((await at('ph > :'))!.from).toBe(5)
})
