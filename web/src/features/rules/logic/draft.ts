/** The rule that is being edited or made: what of it is not kept yet, and what it finds. */
import { api, unwrap, type Schemas } from '@/api/client'
import { mayDiscard, useUnsaved } from '@/app/unsaved'
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed, ref, watch, type Ref } from 'vue'
import { blankRule } from './fields'
import { freshId, withDraft, type Rule } from './rulebook'

type Kind = Schemas['KindOut']

interface Around {
  delivery: Ref<Schemas['WorkspaceOut'] | undefined>
  rules: Ref<Rule[]>
  chosen: Ref<Schemas['RuleOut'] | undefined>
  kinds: Ref<Kind[] | undefined>
  saving: Ref<boolean>
  /** whether the columns that a new rule would find are asked for */
  asking: () => boolean
}

export function useDraft({ delivery, rules, chosen, kinds, saving, asking }: Around) {
  const draft = ref<Rule>()
  const asOpened = ref<Rule>()
  const begun = ref(false) // a rule that was never kept; one whose addition is undone is gone instead
  const same = (item: unknown, other: unknown) => JSON.stringify(item) === JSON.stringify(other)
  const isNew = computed(
    () => draft.value !== undefined && !rules.value.some((rule) => rule.id === draft.value?.id),
  )
  const kind = computed(() => kinds.value?.find((eachKind) => eachKind.kind === draft.value?.kind))
  /** A new rule in which nothing was typed or chosen yet is no edit that could be lost. */
  const touched = computed(() => !isNew.value || !same(draft.value, asOpened.value))
  const dirty = computed(() => isNew.value || !same(draft.value, chosen.value?.rule))
  const lost = () => draft.value !== undefined && dirty.value && touched.value
  /** The rules as they would be with the draft kept. */
  const drafted = computed(() =>
    draft.value ? withDraft(rules.value, draft.value, kinds.value ?? []) : rules.value,
  )
  /** The columns that a rule at hand finds, as the rules above it leave them. */
  const above = computed(() => {
    const place = rules.value.findIndex((rule) => rule.id === draft.value?.id)
    return place < 0 ? rules.value : rules.value.slice(0, place)
  })
  const columnsAbove = useQuery({
    queryKey: ['columns-above', computed(() => [delivery.value?.id, above.value])],
    queryFn: () =>
      unwrap(
        api.POST('/api/deliveries/{delivery_id}/formula', {
          params: { path: { delivery_id: delivery.value?.id ?? 0 } },
          body: { rules: above.value as never[], below: '', text: ' ', condition: false },
        }),
      ),
    enabled: () => Boolean(delivery.value?.columns.length && (draft.value || asking())),
    placeholderData: keepPreviousData,
    retry: false,
  })
  const columns = computed(
    () => columnsAbove.data.value?.columns.map(([name]) => name ?? '') ?? delivery.value?.columns ?? [],
  )
  /** The chosen rule as it is kept. */
  const asKept = () => (chosen.value ? { ...(chosen.value.rule as Rule) } : undefined)
  watch(
    chosen,
    (now) => {
      if (now) begun.value = false
      if (!begun.value) draft.value = asKept()
    },
    { immediate: true },
  )
  useUnsaved({
    what: () => `The rule “${kind.value?.title ?? draft.value?.kind ?? ''}”`,
    dirty: () => lost() && !saving.value,
    lostBy: (to, from) =>
      to.path !== from.path ||
      (to.query.rule !== from.query.rule && to.query.rule !== draft.value?.id) ||
      to.query.view !== undefined,
  })

  /** Whether there is no edit that would be lost, or it may be discarded. */
  async function mayLeave(): Promise<boolean> {
    return !lost() || mayDiscard(`The rule “${kind.value?.title ?? ''}”`)
  }
  /** A new rule of a kind, on a column or with a value that was chosen elsewhere. */
  function begin(chosenKind: Kind, column: string | undefined, value: unknown): void {
    const rule = blankRule(chosenKind, freshId(rules.value, chosenKind.kind), column) as Rule
    if (typeof value === 'string') fillIn(rule, value)
    begun.value = true
    draft.value = rule
    asOpened.value = { ...rule }
  }
  /** A rule of a kind with some of its fields filled in. */
  function beginFilled({ kind: name, ...fields }: Record<string, unknown> & { kind: string }): void {
    const chosenKind = kinds.value?.find((eachKind) => eachKind.kind === name)
    if (!chosenKind) return
    begun.value = true
    draft.value = { ...blankRule(chosenKind, freshId(rules.value, name), undefined), ...fields } as Rule
  }
  /** What is said of the draft when it is kept. */
  function change(): string {
    const title = kind.value?.title.toLowerCase() ?? draft.value?.kind
    const [named] = (draft.value?.columns as string[] | undefined) ?? []
    return `${isNew.value ? 'added' : 'changed'}: ${title}${named ? ` for ${named}` : ''}`
  }
  const discard = () => (draft.value = isNew.value ? undefined : asKept())
  return {
    draft,
    isNew,
    kind,
    dirty,
    drafted,
    columns,
    mayLeave,
    begin,
    beginFilled,
    change,
    discard,
  }
}

/** A value that was chosen elsewhere goes where the kind of rule takes one. */
function fillIn(rule: Rule, value: string): void {
  if ('find' in rule) rule.find = value
  else if ('tokens' in rule) rule.tokens = [value]
  else if ('values' in rule) rule.values = [value]
  else if ('codes' in rule) rule.codes = [{ code: value, meaning: '' }]
}
