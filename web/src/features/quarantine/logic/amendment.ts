/** What an amendment of many records puts in, as the API takes it. */
import type { Schemas } from '@/api/client'

export type Way = 'value' | 'formula' | 'repair' | 'reference'
type Act = Pick<Schemas['ActIn'], 'values' | 'column' | 'formula' | 'rule'>
type Listed = Schemas['FindingOut']
type Rule = NonNullable<Act['rule']>

export interface LookedUp {
  table: string
  mine: string
  theirs: string
  take: string
}

/** The repairs that the profile proposes for a column: rules that change values, not checks. */
export function repairsOf(findings: Listed[], column: string, checks: ReadonlySet<string>): Listed[] {
  return findings.filter(
    ({ finding }) =>
      finding.rule && finding.columns.includes(column) && !checks.has(String(finding.rule.kind)),
  )
}

/** An amendment as the body of a request; undefined while something is missing. */
export function amendmentOf(
  way: Way,
  column: string,
  said: { value: string; formula: string; repair?: Listed; lookedUp: LookedUp },
): Act | undefined {
  if (!column) return undefined
  if (way === 'value') return { values: { [column]: said.value === '' ? null : said.value } } as Act
  if (way === 'formula') return said.formula.trim() ? ({ column, formula: said.formula } as Act) : undefined
  if (way === 'repair') {
    const rule = said.repair?.finding.rule
    return rule ? ({ column, rule: { ...rule, id: 'amend' } as unknown as Rule } as Act) : undefined
  }
  const { table, mine, theirs, take } = said.lookedUp
  if (!table || !mine || !theirs || !take) return undefined
  const keys = [{ code: mine, meaning: theirs }]
  // under a name of its own, which no column of the table has
  const rule = { kind: 'look-up', id: 'amend', reference: table, keys, take: [take], prefix: 'found: ' }
  return { column, rule: rule as unknown as Rule } as Act
}
