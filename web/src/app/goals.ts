/** Where one can go: places, views, columns, deliveries, pages, new rules; each found by its name or by what people call it. */
import type { Schemas } from '@/api/client'
import type { RouteLocationRaw } from 'vue-router'

export interface Goal {
  label: string
  hint: string
  also?: readonly string[]
  to: RouteLocationRaw
}

const PLACES = [
  ['new', ['drift', 'changed', 'never seen', 'limits', 'anomaly', 'monitor', 'what is new']],
  ['intake', ['import', 'load', 'encoding', 'delimiter', 'header', 'sheet']],
  ['profile', ['chart', 'plot', 'histogram', 'distribution', 'statistics', 'explore', 'describe', 'columns', 'null counts']],
  ['rules', ['transform', 'clean', 'steps', 'rulebook', 'corrections', 'checks', 'validation']],
  ['quarantine', ['invalid', 'errors', 'exceptions', 'failed records']],
  ['release', ['publish', 'export', 'download', 'output', 'approve']],
] as const // prettier-ignore
const VIEWS = [
  ['findings', ['worklist', 'issues', 'problems', 'anomalies']],
  ['variants', ['cluster', 'spelling', 'fuzzy', 'merge values', 'similar values', 'typos']],
  ['cross-filter', ['filter', 'narrow', 'chart', 'plot', 'histogram', 'drill down']],
  ['relations', ['correlation', 'association', 'scatter', 'chart', 'dependency']],
  ['suitability', ['modelling', 'feature', 'leakage', 'predictors', 'target', 'random']],
  ['compare', ['side by side', 'difference', 'before and after', 'drift']],
  ['checks', ['bounds', 'constraints', 'ranges', 'limits']],
  ['report', ['document', 'print', 'hand over', 'pdf']],
] as const
const VIEW_LABELS: Record<string, string> = {
  checks: 'propose checks',
} // prettier-ignore
const PAGES = [
  ['feeds', ['home', 'sources', 'deliveries', 'board']],
  ['calendar', ['plan', 'schedule', 'late', 'missing', 'expected', 'month', 'arrivals', 'due']],
  ['suppliers', ['vendors', 'providers', 'partners', 'who delivers', 'quality', 'returned', 'late']],
  ['inbox', ['waiting', 'tasks', 'to do', 'notices', 'mail', 'late', 'reminders']],
  ['quarantined', ['invalid', 'errors', 'exceptions', 'waiting records']],
  ['releases', ['published', 'tables', 'exports', 'versions']],
  ['readers', ['database', 'connect', 'password', 'psql', 'grant', 'role', 'python']],
  ['library', ['code lists', 'reference tables', 'lookup', 'parameters', 'dictionary', 'shared rules']],
  ['activity', ['audit', 'log', 'history', 'who changed']],
  ['people', ['users', 'accounts', 'roles', 'password', 'permissions']],
] as const

const PAGE_LABELS: Record<string, string> = {
  quarantined: 'Quarantine of all feeds',
  calendar: 'Calendar of feeds',
}
const title = (name: string) => name.charAt(0).toUpperCase() + name.slice(1)

interface Known {
  delivery: number
  columns: readonly string[]
  feeds: readonly Schemas['FeedOut'][]
  kinds: readonly Schemas['KindOut'][]
}

/** All goals, the nearest first: those of the delivery at hand, then deliveries, pages and new rules. */
export function goalsFor({ delivery, columns, feeds, kinds }: Known): Goal[] {
  const at = { id: delivery }
  const here: Goal[] = !delivery
    ? []
    : [
        ...PLACES.map(([place, also]) => ({ label: title(place), hint: 'place', also, to: { name: place, params: at } })),
        ...columns.map((column) => ({
          label: column, hint: 'column', to: { name: 'profile', params: at, query: { column } },
        })),
        ...VIEWS.map(([view, also]) => ({
          label: title(VIEW_LABELS[view] ?? view), hint: 'view of the profile', also, to: { name: 'profile', params: at, query: { view } },
        })),
      ] // prettier-ignore
  const deliveries = feeds.flatMap((feed) =>
    [...feed.deliveries].reverse().map((delivery) => ({
      label: `${feed.name}, delivery ${delivery.number}`,
      hint: feed.waiting.includes(String(delivery.number)) ? feed.waiting : '',
      to: { name: 'profile', params: { id: delivery.id } },
    })),
  )
  const pages = PAGES.map(([name, also]) => ({
    label: title(PAGE_LABELS[name] ?? name),
    hint: 'page',
    also,
    to: { name },
  }))
  const rules = !delivery
    ? []
    : kinds.map((kind) => ({
        label: kind.title,
        hint: kind.is_check ? 'new check' : 'new correction',
        also: kind.synonyms,
        to: { name: 'rules', params: at, query: { kind: kind.kind } },
      }))
  return [...here, ...deliveries, ...pages, ...rules]
}

/** The goals that all words fit: by their names before by what they are also called; new rules only once something is typed. */
export function fitting(goals: readonly Goal[], typed: string): Goal[] {
  const words = typed.toLowerCase().split(/\s+/).filter(Boolean)
  const whole = words.join(' ')
  const rank = (goal: Goal): number => {
    const label = goal.label.toLowerCase()
    if (words.every((word) => label.includes(word))) return label.startsWith(whole) ? 3 : 2
    if (!whole) return 0
    const also = (goal.also ?? []).map((item) => item.toLowerCase())
    if (also.includes(whole)) return 1.5
    return words.every((word) => also.some((item) => item.includes(word)) || label.includes(word)) ? 1 : 0
  }
  return goals
    .filter((goal) => whole || !goal.hint.startsWith('new '))
    .map((goal) => ({ goal, rank: rank(goal) }))
    .filter((item) => item.rank > 0)
    .sort((a, b) => b.rank - a.rank)
    .map(({ goal }) => goal)
}
