/** Which cases the address asks for: what the API is asked, and how it is said. */
import type { Schemas } from '@/api/client'
import { count } from '@/shared'
import type { LocationQuery } from 'vue-router'

export type Standing = 'waiting' | 'settled' | 'again' | 'all'
type Where = NonNullable<Schemas['ActIn']['where']>

/** A filter of cases, as the API takes it. */
export interface Chosen {
  where: Where
  standing: Standing
  owner?: number
  overdue: boolean
  returned: boolean
  since?: number
}

const text = (value: unknown): string => (typeof value === 'string' ? value : '')
const STANDINGS: Standing[] = ['waiting', 'settled', 'again', 'all']

/** The filter that an address asks for; what it cannot mean is left aside. */
export function chosenOf(query: LocationQuery, files: string[]): Chosen {
  const where: Where = []
  const reason = { value: text(query.rule), name: text(query.name), phrase: text(query.phrase) }
  if (reason.value || reason.name || reason.phrase) where.push({ on: 'reason', ...reason } as Where[number])
  if (text(query.text))
    where.push({
      on: 'any of',
      of: [
        { on: 'text', value: text(query.text) },
        { on: 'reason', seen: text(query.text) },
      ],
    } as Where[number])
  const file = Number(query.file)
  if (query.file !== undefined && (file === -1 || files[file] !== undefined))
    where.push({ on: 'file', value: String(file) } as Where[number])
  const standing = STANDINGS.find((each) => each === query.standing) ?? 'waiting'
  const owner = /^\d+$/.test(text(query.owner)) ? Number(query.owner) : undefined
  const since = /^[1-9]\d{0,15}$/.test(text(query.since)) ? Number(query.since) : undefined
  return {
    where,
    standing,
    owner,
    since,
    overdue: query.overdue === 'yes',
    returned: query.returned === 'yes',
  }
}

/** The same as parameters of an address of the API. */
export function asParameters(chosen: Chosen) {
  const { where, ...rest } = chosen
  return { where: JSON.stringify(where), ...rest }
}

/** Which records an act is about: one by one, or all that fit, as they were seen in a run. */
export type About = { records: number[] } | { chosen: Chosen; count: number }

/** The part of an act's body that says which records it is about. */
export function about(which: About, run: number | null): Partial<Schemas['ActIn']> {
  const seen = run === null ? {} : { run }
  if ('records' in which) return { records: which.records, ...seen }
  const { where, ...among } = which.chosen
  return { where, among, count: which.count, ...seen }
}

export const sizeOf = (which: About): number => ('records' in which ? which.records.length : which.count)

const DONE: Record<string, string> = {
  amend: 'amended',
  accept: 'accepted as exception',
  discard: 'discarded',
  reopen: 'decisions taken back',
  assign: 'assigned',
  wait: 'waiting',
  comment: 'comment',
  return: 'returned to the supplier',
}

/** What was done to how many records, in words. */
export function said(act: Schemas['DecisionOut']): string {
  const records = `${count(act.records)} record${act.records === 1 ? '' : 's'}`
  if (act.kind === 'assign') return `${records} assigned to ${act.owner || 'nobody'}`
  if (act.kind === 'wait') return `${records} waiting until ${act.until ?? ''}`
  const until = ['accept', 'return'].includes(act.kind) && act.until ? ` until ${act.until}` : ''
  const madeIn = (act.details.made_in as { number: number } | undefined)?.number
  const later = act.details.later
    ? ', also in later deliveries'
    : madeIn
      ? `, as in delivery ${count(madeIn)}`
      : ''
  return `${records} ${DONE[act.kind] ?? act.kind}${until}${later}`
}

/** How the cases of a delivery ended that are not there any more, in words. */
export function endedIn(ended: Schemas['EndedOut'] | undefined): string[] {
  if (!ended) return []
  return [
    ended.amend && `${count(ended.amend)} amended`,
    ended.accept && `${count(ended.accept)} accepted`,
    ended.discard && `${count(ended.discard)} discarded`,
    ended.rules && `${count(ended.rules)} ready by a change of rules`,
  ].filter((words) => typeof words === 'string')
}

/** The cells that an amendment put in, in words: "ph 7.4", "site missing", "ph by formula replace(ph, ',', '.')". */
export function putIn(
  details: Record<string, unknown>,
): { name: string; value: string | null; formula: boolean }[] {
  if (typeof details.sentence === 'string')
    return [{ name: text(details.column), value: details.sentence, formula: true }]
  if (typeof details.formula === 'string')
    return [{ name: text(details.column), value: details.formula, formula: true }]
  const values = (details.values ?? {}) as Record<string, string | null>
  return Object.entries(values).map(([name, value]) => ({ name, value, formula: false }))
}

const FORMS = ['csv', 'xlsx']

/** The files for the suppliers of returned records, each in two forms: one for each source, or one for all where there is one. */
export function filesOf(delivery: number, act: Schemas['DecisionOut'], names: string[]) {
  if (act.kind !== 'return' || !act.holds) return []
  const base = `/api/deliveries/${delivery}/decisions/${act.id}/return-file`
  const sources = (act.details.sources ?? []) as [number, number][]
  const forms = (place?: number) =>
    FORMS.map((form) => ({
      label: form.toUpperCase(),
      address: `${base}?form=${form}${place === undefined ? '' : `&source=${place}`}`,
    }))
  if (sources.length < 2) return [{ label: 'File for the supplier', forms: forms(sources[0]?.[0]) }]
  return sources.map(([place, records]) => ({
    label: `${names[place] ?? `source ${place + 1}`}: ${count(records)}`,
    forms: forms(place),
  }))
}
