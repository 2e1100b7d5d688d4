/** The steps of a plan while they are edited. */
import type { Schemas } from '@/api/client'
import { blankRule, freshId, type Rule } from '@/features/rules'

export type Kind = Schemas['KindOut']

/** In the order of use: what brings tables together first. */
const GROUPS = ['Table', 'Records', 'Columns', 'Values', 'Dates', 'Numbers', 'Text', 'Missing']

/** The kinds that can be steps, by group. */
export function kindsOfSteps(kinds: Kind[]): [string, Kind[]][] {
  const corrections = kinds.filter((kind) => !kind.is_check)
  return GROUPS.map((group): [string, Kind[]] => [
    group,
    corrections.filter((kind) => kind.group === group),
  ]).filter(([, some]) => some.length)
}

export const newStep = (kind: Kind, steps: Rule[]): Rule => blankRule(kind, freshId(steps, kind.kind)) as Rule

/** The steps with one moved up (-1) or down (1). */
export function movedStep(steps: Rule[], at: number, by: number): Rule[] {
  const to = at + by
  if (to < 0 || to >= steps.length) return steps
  const next = [...steps]
  next.splice(to, 0, ...next.splice(at, 1))
  return next
}

/** What is kept of a plan, as one text: whether something changed is seen by it. */
export const asText = (base: string, steps: readonly unknown[]): string => JSON.stringify([base, steps])
