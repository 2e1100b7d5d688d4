/** The rulebook being edited: every change is kept as a revision, then tried; undo and redo step through all of them. */
import { api, unwrap, type Schemas } from '@/api/client'
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, type Ref } from 'vue'

type Kind = Pick<Schemas['KindOut'], 'kind' | 'reads_types' | 'repairs_text'>
export type Rule = Schemas['RuleOut']['rule'] & Record<string, unknown>

/** A rule id that no rule of the book has. */
export function freshId(rules: Pick<Rule, 'id'>[], kind: string): string {
  const inUse = new Set(rules.map((rule) => rule.id))
  let number = 1
  while (inUse.has(`${kind}-${number}`)) number += 1
  return `${kind}-${number}`
}

/** The rules above one (all, when it is not among them yet): they make the records that it sees. */
export function rulesAbove<T extends Pick<Rule, 'id'>>(rules: T[], rule: Pick<Rule, 'id'>): T[] {
  const at = rules.findIndex((each) => each.id === rule.id)
  return at < 0 ? rules : rules.slice(0, at)
}

/** The rules with one moved by a number of places; it stays among its own sort. */
export function moved<T extends { is_check: boolean }>(rules: T[], at: number, by: number): T[] {
  const to = at + by
  const rule = rules[at]
  if (!rule || !rules[to] || rules[to].is_check !== rule.is_check) return rules
  const next = rules.filter((_, i) => i !== at)
  next.splice(to, 0, rule)
  return next
}

/** The rules with a draft in its place: where it was, or a new one before what reads its columns, else at the end. */
export function withDraft(rules: Rule[], draft: Rule, kinds: readonly Kind[]): Rule[] {
  if (rules.some((rule) => rule.id === draft.id))
    return rules.map((rule) => (rule.id === draft.id ? draft : rule))
  const columns = new Set((draft.columns as string[] | undefined) ?? [])
  const kindOf = (rule: Rule) => kinds.find((eachKind) => eachKind.kind === rule.kind)
  const reads = rules.findIndex(
    (rule) =>
      kindOf(rule)?.reads_types && ((rule.columns as string[] | undefined) ?? []).some((c) => columns.has(c)),
  )
  return reads >= 0 && kindOf(draft)?.repairs_text
    ? [...rules.slice(0, reads), draft, ...rules.slice(reads)]
    : [...rules, draft]
}

export function useRulebook(slug: Ref<string>, tried: () => void) {
  const queries = useQueryClient()
  const key = computed(() => ['rulebook', slug.value])
  const path = computed(() => ({ path: { slug: slug.value } }))
  const { data, error, isLoading } = useQuery({
    queryKey: key,
    queryFn: () => unwrap(api.GET('/api/feeds/{slug}/rulebook', { params: path.value })),
    enabled: () => Boolean(slug.value),
  })
  const rules = computed(() => (data.value?.rules ?? []).map(({ rule }) => rule as Rule))
  const seen = () => data.value?.revision.number ?? 0

  const save = useMutation({
    mutationFn: (ask: () => Promise<Schemas['RulebookOut']>) => ask(),
    onSuccess: (kept) => {
      queries.setQueryData(key.value, kept)
      void queries.invalidateQueries({ queryKey: ['revisions', slug.value] })
      tried()
    },
    onError: () => queries.invalidateQueries({ queryKey: key.value }),
  })
  /** Whether they were kept; why not is said by `problem`. */
  const kept = async (ask: () => Promise<Schemas['RulebookOut']>) => {
    try {
      await save.mutateAsync(ask)
      return true
    } catch {
      return false
    }
  }
  const keep = (next: Rule[], change: string) =>
    kept(() =>
      unwrap(
        api.PUT('/api/feeds/{slug}/rulebook', {
          params: path.value,
          body: { based_on: seen(), change, rules: next as never[] },
        }),
      ),
    )
  const step = (way: 'undo' | 'redo') => () => {
    if (save.isPending.value || !data.value?.[way]) return
    const request = { params: path.value, body: { based_on: seen() } }
    save.mutate(() =>
      unwrap(
        way === 'undo'
          ? api.POST('/api/feeds/{slug}/rulebook/undo', request)
          : api.POST('/api/feeds/{slug}/rulebook/redo', request),
      ),
    )
  }
  const goBack = (number: number) =>
    kept(() =>
      unwrap(
        api.POST('/api/feeds/{slug}/rulebook/go-back', {
          params: path.value,
          body: { based_on: seen(), number },
        }),
      ),
    )
  return {
    book: data,
    error,
    isLoading,
    rules,
    keep,
    goBack,
    undo: step('undo'),
    redo: step('redo'),
    problem: save.error,
    saving: save.isPending,
    reset: save.reset,
    again: () => queries.invalidateQueries({ queryKey: key.value }),
  }
}
