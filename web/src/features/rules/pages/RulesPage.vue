<script setup lang="ts">
/** The rulebook as a numbered document; beside it the chosen rule with its effect on this delivery. */
import { api, unwrap, type Schemas } from '@/api/client'
import { useAddress } from '@/app/address'
import { useKeys } from '@/app/keys'
import { useDelivery } from '@/features/delivery'
import { usePerson } from '@/features/session'
import { recordsLink } from '@/features/records'
import { further, plural, StateNote } from '@/shared'
import { useQuery } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import ByExample from '../components/ByExample.vue'
import HistoryView from '../components/HistoryView.vue'
import KindPicker from '../components/KindPicker.vue'
import RulebookDocument from '../components/RulebookDocument.vue'
import RulebookTools from '../components/RulebookTools.vue'
import RuleEditor from '../components/RuleEditor.vue'
import TextView from '../components/TextView.vue'
import UnusableRule from '../components/UnusableRule.vue'
import { useRuleActions } from '../logic/actions'
import { useDraft } from '../logic/draft'
import { useRulebook } from '../logic/rulebook'
import { useLatestRun } from '../logic/latestRun'

const route = useRoute()
const router = useRouter()
const { mayWork } = usePerson()
const { delivery, ask } = useDelivery()
const slug = computed(() => delivery.value?.feed.slug ?? '')
const { book, error, isLoading, rules, keep, goBack, undo, redo, problem, saving, reset, again } =
  useRulebook(slug, () => ask.mutate('trials'))
const kinds = useQuery({
  queryKey: ['rule-kinds'],
  queryFn: () => unwrap(api.GET('/api/rule-kinds')),
  staleTime: Infinity,
})
const { latestRun, effectOf, remarkOn } = useLatestRun(delivery, book, rules, mayWork, ask)

/** Where the address goes: steps in a hurry build on each other. */
const { query: whither, ask: askFor } = useAddress()
const chosenId = computed(() => String(route.query.rule ?? ''))
const view = computed(() => String(route.query.view ?? ''))
const asked = computed(() => String(route.query.add ?? '') || undefined) // the column that a rule is asked for
const at = computed(() => rules.value.findIndex((rule) => rule.id === chosenId.value))
const chosen = computed(() => book.value?.rules[at.value])
const picking = ref(false)
const columnSaid = ref(false)
const { draft, isNew, kind, dirty, drafted, columns, mayLeave, begin, beginFilled, change, discard } =
  useDraft({
    delivery,
    rules,
    chosen,
    kinds: kinds.data,
    saving,
    asking: () => Boolean(book.value && (picking.value || view.value)),
  })

watch(chosen, (now) => now && (picking.value = false), { immediate: true })
watch(
  () => route.query.add,
  (add) => {
    if (add !== undefined && view.value !== 'example') picking.value = true
  },
  { immediate: true },
)
/** A kind that was asked for elsewhere, such as in the box that goes anywhere. */
watch(
  [() => route.query.kind, () => kinds.data.value],
  ([wanted]) => {
    const kind = kinds.data.value?.find(({ kind: name }) => name === wanted)
    if (kind && mayWork.value) void freely(() => pick(kind))
  },
  { immediate: true },
)

/** Go on when there is no edit that would be lost, or when it may be discarded. */
async function freely(go: () => void): Promise<void> {
  if (!(await mayLeave())) return
  draft.value = undefined
  go()
}
function choose(id: string | undefined): void {
  askFor({ rule: id }, {})
}
function open(name: 'history' | 'text' | 'example'): void {
  void freely(() => {
    picking.value = false
    const on = name === 'example' && route.query.add ? { add: route.query.add } : {}
    void router.replace({ query: { view: name, ...on } })
  })
}
function add(): void {
  void freely(() => {
    picking.value = true
    void router.replace({ query: {} })
  })
}
function pick(one: Schemas['KindOut'], column?: string): void {
  reset()
  begin(one, column ?? asked.value, route.query.value)
  columnSaid.value = column !== undefined
  picking.value = false
  void router.replace({ query: {} })
}
function fromExample(rule: Parameters<typeof beginFilled>[0]): void {
  beginFilled(rule)
  void router.replace({ query: {} })
}
async function leave(): Promise<void> {
  if (!(await mayLeave())) return
  picking.value = false
  reset()
  discard()
  if (route.query.add !== undefined || view.value) void router.replace({ query: {} })
}
async function save(): Promise<void> {
  const id = draft.value?.id
  if (id && !saving.value && dirty.value && (await keep(drafted.value, change()))) choose(id)
}
const { switchRule, remove, copyRule, moveRule, toNumber, dragged, drop } = useRuleActions({
  book,
  rules,
  at,
  saving,
  keep,
  choose,
  left: () => (draft.value = undefined),
})
async function switchShared(id: number, on: boolean): Promise<void> {
  const path = { slug: slug.value, group_id: id }
  await unwrap(api.POST('/api/feeds/{slug}/shared/{group_id}', { params: { path }, body: { on } }))
  await again()
  ask.mutate('trials')
}

const step = (by: number) => {
  const from = rules.value.find((rule) => rule.id === whither.value.rule)
  const next = further(rules.value, from, by)
  if (next) choose(next.id)
}
const mine = (action: () => void) => () => {
  if (mayWork.value) action()
}
useKeys({
  n: mine(add),
  e: mine(() => open('example')),
  h: () => open('history'),
  t: () => open('text'),
  j: () => step(1),
  k: () => step(-1),
  o: mine(() => void switchRule()),
  Delete: mine(() => void remove()),
  Enter: mine(() => void save()),
  Escape: leave,
  'Ctrl+z': mine(undo),
  'Ctrl+Shift+z': mine(redo),
})
function onKey(event: KeyboardEvent): void {
  if (!event.altKey || !mayWork.value) return
  if (event.key === 'ArrowUp' || event.key === 'ArrowDown') {
    event.preventDefault()
    void moveRule(event.key === 'ArrowUp' ? -1 : 1)
  }
}
/** The records that the chosen rule touches. */
const door = computed(() => {
  const effect = draft.value && effectOf(draft.value.id)
  const many = effect ? effect.records || effect.removed || effect.broken || effect.added : 0
  if (!latestRun.value || !effect || !many || dirty.value) return null
  return { to: recordsLink(route, latestRun.value.id, [{ on: 'rule', value: String(effect.number) }]), many }
})
</script>

<template>
  <section class="doc" aria-label="Rulebook" @keydown="onKey">
    <RulebookTools :book="book" :may-work="mayWork" @add="add" @undo="undo" @redo="redo" @open="open" />
    <StateNote :loading="isLoading" :error="error" />
    <p v-if="delivery?.release === 'published'" class="soft released">
      This delivery is released. Changes here are tried on it and used from the next run on.
    </p>
    <StateNote
      v-if="book && !book.rules.length && !draft && !picking"
      class="first"
      empty="No rules yet. The profile shows what stands out; add a rule for it here, and its effect on all records appears in the margin."
    />
    <RulebookDocument
      v-if="book"
      :book="book"
      :chosen="chosenId"
      :may-work="mayWork"
      :effect-of="effectOf"
      :remark-on="remarkOn"
      @choose="choose"
      @place="(id, number) => toNumber(id, number)"
      @switch-shared="switchShared"
      @drag="(from) => (dragged = from)"
      @drop="drop"
    />
  </section>
  <section class="editor" tabindex="-1" aria-label="Rule">
    <KindPicker
      v-if="picking"
      :kinds="kinds.data.value ?? []"
      :columns="columns"
      :column="asked"
      @pick="pick"
      @example="open('example')"
      @leave="leave"
    />
    <HistoryView
      v-else-if="view === 'history' && book"
      :slug="slug"
      :newest="book.revision.number"
      :may-work="mayWork"
      @back="(number) => void goBack(number)"
      @leave="choose(undefined)"
    />
    <TextView
      v-else-if="view === 'text' && book && delivery"
      :slug="slug"
      :delivery="delivery.id"
      :revision="book.revision.number"
      :may-work="mayWork"
      @taken="again().then(() => ask.mutate('trials'))"
      @leave="choose(undefined)"
    />
    <ByExample
      v-else-if="view === 'example' && delivery"
      :delivery="delivery.id"
      :rules="rules"
      :columns="columns"
      :column="asked"
      @make="fromExample"
      @leave="choose(undefined)"
    />
    <template v-else-if="draft && kind && delivery">
      <RuleEditor
        :key="isNew ? `new ${draft.id}` : 'kept'"
        v-model="draft"
        :kind="kind"
        :chosen="chosen"
        :is-new="isNew"
        :column-said="columnSaid"
        :dirty="dirty"
        :saving="saving"
        :may-work="mayWork"
        :columns="columns"
        :delivery="delivery"
        :rules="drafted"
        :problem="problem"
        @save="save"
        @cancel="leave"
        @switch="switchRule"
        @move="moveRule"
        @copy="copyRule"
        @remove="remove"
      />
      <p v-if="door" class="open">
        <RouterLink :to="door.to">Open the {{ plural(door.many, 'record') }}</RouterLink>
      </p>
    </template>
    <UnusableRule
      v-else-if="chosen && chosen.rule.kind === 'unusable'"
      :rule="chosen"
      :may-work="mayWork"
      :saving="saving"
      @remove="remove"
    />
    <div v-else-if="book" class="soft hint">
      <p v-if="latestRun">
        {{ latestRun.purpose === 'run' ? 'The run' : 'The trial' }} of this revision over
        {{ plural(delivery?.records ?? 0, 'record') }} fills the margin. Choose a rule to see what it changes.
      </p>
      <p v-else>The effects appear when the trial is done.</p>
      <p v-for="rule in latestRun?.outcome?.stopped_by ?? []" :key="rule">
        <b>Rule {{ book.rules.find((kept) => kept.rule.id === rule)?.number }} stops the release.</b>
      </p>
    </div>
    <StateNote v-if="!draft && problem" :error="problem" />
    <StateNote v-if="ask.error.value" :error="ask.error.value" />
  </section>
</template>

<style scoped>
.doc {
  width: 52%;
  min-width: 0;
  padding: 0 0 20px 20px;
  overflow: auto;
}
.open {
  padding-top: 8px;
}
.released,
.first {
  padding: 4px 16px 4px 0;
}
.editor {
  flex: 1;
  min-width: 0;
  border-left: 1px solid var(--hair);
  padding: 14px 20px;
  background: var(--sheet);
  overflow: auto;
}
.hint p {
  max-width: 52ch;
  padding-top: 6px;
}
</style>
