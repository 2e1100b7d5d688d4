/** The effect of a rule in words. */
import type { Schemas } from '@/api/client'
import { count, plural } from '@/shared'

type Effect = Schemas['RuleEffect']
type Kind = Pick<Schemas['KindOut'], 'is_check' | 'reads_types'>

/** What a rule does, in one line. A conversion says what it reads, apart from what is written differently afterwards; a rule that
 * fills new columns does not say that it changes cells.
 */
export function headlineOf(effect: Effect, kind: Kind): string {
  if (effect.seen) return `${effect.seen}: ${effect.broken ? 'breaks it' : 'fine'}`
  if (kind.is_check)
    return `${plural(effect.broken, 'record')} ${effect.broken === 1 ? 'breaks' : 'break'} it`
  const parts = []
  if (effect.removed) parts.push(`${plural(effect.removed, 'record')} removed`)
  if (effect.added) parts.push(`${plural(effect.added, 'record')} added`)
  if (effect.fills) {
    if (effect.cells) parts.push(`${plural(effect.cells, 'cell')} filled`)
  } else if (kind.reads_types) {
    const all = effect.unconverted ? `All but ${plural(effect.unconverted, 'value')} read` : 'All values read'
    const rewritten = Math.max(0, effect.cells - effect.unconverted) // what is not read changes too
    parts.push(rewritten ? `${all}, ${count(rewritten)} written differently` : `${all}, as they are written`)
  } else if (effect.cells)
    parts.push(`${plural(effect.cells, 'cell')} ${effect.cells === 1 ? 'changes' : 'change'}`)
  if (effect.columns) parts.push(`${plural(effect.columns, 'column')} touched`)
  return parts.join(', ') || 'Changes nothing in this delivery'
}

/** What could not be treated, where the headline does not say it. */
export function restOf(effect: Effect, kind: Kind, rule: Record<string, unknown>): string {
  if (!effect.unconverted || kind.is_check || (kind.reads_types && !effect.fills)) return ''
  return `${count(effect.unconverted)} ${'unmatched' in rule ? 'without a match' : 'not understood'}`
}
