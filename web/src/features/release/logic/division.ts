import type { Schemas } from '@/api/client'

export type Division = Schemas['DivisionOut']
export type DivisionIn = Schemas['DivisionIn']
export type Report = Schemas['ReportOut']

/** A division to begin with: seventy, fifteen and fifteen percent. */
export const blank = (): DivisionIn => ({
  shares: [
    { name: 'training', share: 70 },
    { name: 'validation', share: 15 },
    { name: 'test', share: 15 },
  ],
  seed: '',
  way: 'records',
  column: '',
  stratum: '',
  watched: [],
  left_out: {},
})

/** What hinders a division from being made; empty when nothing does. */
export function hindrance(asked: DivisionIn, key: string[]): string {
  const total = asked.shares.reduce((sum, each) => sum + (Number(each.share) || 0), 0)
  if (Math.abs(total - 100) > 1e-6) return `The shares make ${+total.toFixed(2)} %, not 100 %.`
  if (asked.shares.some((each) => !/^[a-z][a-z0-9_]{0,19}$/.test(each.name)))
    return 'A part is named by up to 20 lower case letters, digits and _, a letter first.'
  if (new Set(asked.shares.map((each) => each.name)).size < asked.shares.length)
    return 'Two parts have the same name.'
  if (asked.way === 'records' && !key.length)
    return 'The feed has no key that tells records apart. It is agreed in Quarantine.'
  if (asked.way !== 'records' && !asked.column) return 'Choose a column.'
  return ''
}

/** What is sent: without what does not belong to the chosen way. */
export const asSent = (asked: DivisionIn): DivisionIn => ({
  ...asked,
  column: asked.way === 'records' ? '' : asked.column,
  stratum: asked.way === 'records' ? asked.stratum : '',
})

/** A division in a sentence. */
export function sentenceOf(division: Division): string {
  if (division.way === 'groups') return `whole groups by ${division.column}, seed "${division.seed}"`
  if (division.way === 'time')
    return `by time in ${division.column}, ${division.moments.map((moment) => `from ${moment} on the next`).join(', ')}`
  const strata = division.stratum ? `, each with the shares of ${division.stratum}` : ''
  return `records by ${division.key.join(', ')}${strata}, seed "${division.seed}"`
}
