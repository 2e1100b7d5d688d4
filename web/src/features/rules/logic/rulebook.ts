/** The rulebook being edited: every change is kept as a revision, then tried; undo and redo step through them. */
import { api, must, type Schemas } from '@/api/client'
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref, type Ref } from 'vue'

export type Rule = Schemas['RuleOut']['rule'] & Record<string, unknown>

/** A rule id that no rule of the book has. */
export function freshId(rules: Pick<Rule, 'id'>[], kind: string): string {
  const taken = new Set(rules.map((rule) => rule.id))
  let number = 1
  while (taken.has(`${kind}-${number}`)) number += 1
  return `${kind}-${number}`
}

/** The rules with one moved by a number of places; it stays among its own sort. */
export function moved<T extends { is_check: boolean }>(rules: T[], at: number, by: number): T[] {
  const to = at + by
  const one = rules[at]
  if (!one || !rules[to] || rules[to].is_check !== one.is_check) return rules
  const next = rules.filter((_, i) => i !== at)
  next.splice(to, 0, one)
  return next
}

export function useRulebook(slug: Ref<string>, tried: () => void) {
  const queries = useQueryClient()
  const key = computed(() => ['rulebook', slug.value])
  const path = computed(() => ({ path: { slug: slug.value } }))
  const { data, error, isLoading } = useQuery({
    queryKey: key,
    queryFn: () => must(api.GET('/api/feeds/{slug}/rulebook', { params: path.value })),
    enabled: () => Boolean(slug.value),
  })
  const past = ref<Rule[][]>([])
  const future = ref<Rule[][]>([])
  const rules = computed(() => (data.value?.rules ?? []).map(({ rule }) => rule as Rule))

  const save = useMutation({
    mutationFn: ({ next, change }: { next: Rule[]; change: string }) =>
      must(
        api.PUT('/api/feeds/{slug}/rulebook', {
          params: path.value,
          body: { based_on: data.value?.revision.number ?? 0, change, rules: next as never[] },
        }),
      ),
    onSuccess: (kept) => {
      queries.setQueryData(key.value, kept)
      tried()
    },
    onError: () => queries.invalidateQueries({ queryKey: key.value }),
  })

  async function keep(next: Rule[], change: string): Promise<void> {
    const before = rules.value
    await save.mutateAsync({ next, change })
    past.value = [...past.value, before]
    future.value = []
  }
  async function step(from: Ref<Rule[][]>, to: Ref<Rule[][]>, change: string): Promise<void> {
    const goal = from.value.at(-1)
    if (!goal || save.isPending.value) return
    const now = rules.value
    await save.mutateAsync({ next: goal, change })
    from.value = from.value.slice(0, -1)
    to.value = [...to.value, now]
  }
  const undo = () => step(past, future, 'undid a change')
  const redo = () => step(future, past, 'redid a change')
  return {
    book: data,
    error,
    isLoading,
    rules,
    keep,
    undo,
    redo,
    past,
    future,
    problem: save.error,
    saving: save.isPending,
  }
}
