<script setup lang="ts">
/** The rulebook as a numbered document; beside it the chosen rule with its effect on this delivery. */
import { api, must, type Schemas } from '@/api/client'
import { useKeys } from '@/app/keys'
import { mayDiscard, useUnsaved } from '@/app/unsaved'
import { useDelivery } from '@/features/delivery'
import { usePerson } from '@/features/session'
import { doorTo } from '@/features/records'
import { plural, SentenceText, StateNote } from '@/shared'
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed, nextTick, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import ByExample from '../components/ByExample.vue'
import EffectNow from '../components/EffectNow.vue'
import HistoryView from '../components/HistoryView.vue'
import KindPicker from '../components/KindPicker.vue'
import RuleForm from '../components/RuleForm.vue'
import RuleLine from '../components/RuleLine.vue'
import TextView from '../components/TextView.vue'
import { blankRule } from '../logic/fields'
import { useRuleActions } from '../logic/actions'
import { freshId, useRulebook, withDraft, type Rule } from '../logic/rulebook'

const route = useRoute()
const router = useRouter()
const { mayWork } = usePerson()
const { delivery, ask } = useDelivery()
const slug = computed(() => delivery.value?.feed.slug ?? '')
const released = computed(() => delivery.value?.release === 'published')
const { book, error, isLoading, rules, keep, goBack, undo, redo, problem, saving, reset, again } =
  useRulebook(slug, () => ask.mutate('trials'))
const kinds = useQuery({
  queryKey: ['rule-kinds'],
  queryFn: () => must(api.GET('/api/rule-kinds')),
  staleTime: Infinity,
})

// the newest run or trial of this very revision tells the effects
const told = computed(() => {
  const it = delivery.value
  const all = [it?.trial, it?.run].filter((run) => run && run.revision === book.value?.revision.number)
  return all.sort((a, b) => (b?.id ?? 0) - (a?.id ?? 0))[0] ?? null
})
const effectOf = (id: string) => told.value?.outcome?.effects.find((effect) => effect.rule === id)
watch(
  [() => delivery.value?.state, () => book.value?.revision.number, told, mayWork],
  () => {
    const it = delivery.value
    if (
      it?.state === 'read' &&
      book.value &&
      !told.value &&
      !it.job &&
      mayWork.value &&
      !ask.isPending.value &&
      !ask.error.value
    )
      ask.mutate('trials')
  },
  { immediate: true },
)

const remarks = useQuery({
  queryKey: ['remarks', computed(() => [delivery.value?.id, book.value?.revision.number, told.value?.id])],
  queryFn: () =>
    must(
      api.POST('/api/deliveries/{delivery_id}/remarks', {
        params: { path: { delivery_id: delivery.value?.id ?? 0 } },
        body: { rules: rules.value as never[] },
      }),
    ),
  enabled: () => Boolean(delivery.value && book.value),
  placeholderData: keepPreviousData,
  retry: false,
})
const remarkOn = (id: string) => remarks.data.value?.find((one) => one.rule === id)

const chosenId = computed(() => String(route.query.rule ?? ''))
const view = computed(() => String(route.query.view ?? ''))
const at = computed(() => rules.value.findIndex((rule) => rule.id === chosenId.value))
const chosen = computed(() => book.value?.rules[at.value])
const picking = ref(false)
const draft = ref<Rule>()
const isNew = computed(
  () => draft.value !== undefined && !rules.value.some((rule) => rule.id === draft.value?.id),
)
const kind = computed(() => kinds.data.value?.find((one) => one.kind === draft.value?.kind))
/** A new rule in which nothing was typed or chosen yet is no edit that could be lost. */
const touched = computed(() => !isNew.value || JSON.stringify(draft.value) !== JSON.stringify(asOpened.value))
const asOpened = ref<Rule>()
const dirty = computed(
  () => isNew.value || JSON.stringify(draft.value) !== JSON.stringify(chosen.value?.rule),
)
/** The columns that a rule at hand finds, as the rules above it leave them. */
const above = computed(() => {
  const place = rules.value.findIndex((rule) => rule.id === draft.value?.id)
  return place < 0 ? rules.value : rules.value.slice(0, place)
})
const found = useQuery({
  queryKey: ['columns-above', computed(() => [delivery.value?.id, above.value])],
  queryFn: () =>
    must(
      api.POST('/api/deliveries/{delivery_id}/formula', {
        params: { path: { delivery_id: delivery.value?.id ?? 0 } },
        body: { rules: above.value as never[], below: '', text: ' ', condition: false },
      }),
    ),
  enabled: () =>
    Boolean(delivery.value?.columns.length && book.value && (draft.value || picking.value || view.value)),
  placeholderData: keepPreviousData,
  retry: false,
})
const columns = computed(
  () => found.data.value?.columns.map(([name]) => name ?? '') ?? delivery.value?.columns ?? [],
)
/** The rules as they would be with the draft kept. */
const drafted = computed(() =>
  draft.value ? withDraft(rules.value, draft.value, kinds.data.value ?? []) : rules.value,
)

watch(
  chosen,
  (now) => {
    if (now) {
      draft.value = { ...(now.rule as Rule) }
      picking.value = false
    } else if (!isNew.value) draft.value = undefined
  },
  { immediate: true },
)
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
    const one = kinds.data.value?.find(({ kind: name }) => name === wanted)
    if (one && mayWork.value) void freely(() => pick(one))
  },
  { immediate: true },
)

useUnsaved({
  what: () => `The rule “${kind.value?.title ?? draft.value?.kind ?? ''}”`,
  dirty: () => draft.value !== undefined && dirty.value && !saving.value && touched.value,
  lostBy: (to, from) =>
    to.path !== from.path ||
    (to.query.rule !== from.query.rule && to.query.rule !== draft.value?.id) ||
    to.query.view !== undefined,
})
/** Go on when there is no edit that would be lost, or when it may be discarded. */
async function freely(go: () => void): Promise<void> {
  const edited = draft.value !== undefined && dirty.value && touched.value
  if (edited && !(await mayDiscard(`The rule “${kind.value?.title ?? ''}”`))) return
  draft.value = undefined
  go()
}

function choose(id: string | undefined): void {
  void router.replace({ query: id ? { rule: id } : {} })
}
function open(name: 'history' | 'text' | 'example'): void {
  void freely(() => {
    picking.value = false
    void router.replace({
      query: { view: name, ...(name === 'example' && route.query.add ? { add: route.query.add } : {}) },
    })
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
  const id = freshId(rules.value, one.kind)
  draft.value = blankRule(one, id, column ?? (String(route.query.add ?? '') || undefined)) as Rule
  const value = route.query.value
  if (typeof value === 'string') fillIn(draft.value, value)
  asOpened.value = { ...draft.value }
  picking.value = false
  void router.replace({ query: {} })
  void nextTick(() => setTimeout(() => firstField(column !== undefined), 60))
}
/** The first field of the form has the focus, or the one behind the columns when these are said already. */
function firstField(said: boolean): void {
  const fields = document.querySelectorAll<HTMLElement>(
    '.editor .form :is(input, select, textarea, button[role=switch], [contenteditable=true])',
  )
  ;(fields[said ? 1 : 0] ?? fields[0])?.focus()
}
/** A value that was chosen elsewhere goes where the kind of rule takes one. */
function fillIn(rule: Rule, value: string): void {
  if ('find' in rule) rule.find = value
  else if ('tokens' in rule) rule.tokens = [value]
  else if ('values' in rule) rule.values = [value]
  else if ('codes' in rule) rule.codes = [{ code: value, meaning: '' }]
}
function fromExample(formula: string, column: string): void {
  const id = freshId(rules.value, 'compute')
  draft.value = {
    kind: 'compute',
    id,
    enabled: true,
    note: '',
    columns: [column],
    formula,
    when: '',
  } as unknown as Rule
  void router.replace({ query: {} })
}
async function leave(): Promise<void> {
  const edited = draft.value !== undefined && dirty.value && touched.value
  if (edited && !(await mayDiscard(`The rule “${kind.value?.title ?? ''}”`))) return
  picking.value = false
  reset()
  if (isNew.value) draft.value = undefined
  else if (chosen.value) draft.value = { ...(chosen.value.rule as Rule) }
  if (route.query.add !== undefined || view.value) void router.replace({ query: {} })
}
async function keepDraft(): Promise<void> {
  const one = draft.value
  if (!one || saving.value || !dirty.value) return
  const title = kind.value?.title.toLowerCase() ?? one.kind
  const named = ((one.columns as string[] | undefined) ?? [])[0]
  const said = `${isNew.value ? 'added' : 'changed'}: ${title}${named ? ` for ${named}` : ''}`
  if (await keep(drafted.value, said)) choose(one.id)
}
/** Ctrl+Enter keeps from any field: what is typed there counts first. */
async function keepAtOnce(): Promise<void> {
  ;(document.activeElement as HTMLElement | null)?.blur()
  await nextTick()
  await keepDraft()
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
const step = (by: number) => {
  const next = rules.value[Math.max(0, Math.min(rules.value.length - 1, at.value + by))]
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
  Enter: mine(() => void keepDraft()),
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
async function switchShared(id: number, on: boolean): Promise<void> {
  await must(
    api.POST('/api/feeds/{slug}/shared/{group_id}', {
      params: { path: { slug: slug.value, group_id: id } },
      body: { on },
    }),
  )
  await again()
  ask.mutate('trials')
}
const groups = computed(() => {
  const all = (book.value?.rules ?? []).map((rule, i) => ({ rule, i }))
  return [
    { title: 'Corrections', rules: all.filter(({ rule }) => !rule.is_check) },
    { title: 'Checks', rules: all.filter(({ rule }) => rule.is_check) },
  ]
})
const doorOfRule = computed(() => {
  const effect = draft.value && effectOf(draft.value.id)
  const many = effect ? effect.records || effect.removed || effect.broken || effect.added : 0
  if (!told.value || !effect || !many || dirty.value) return null
  return { to: doorTo(route, told.value.id, [{ on: 'rule', value: String(effect.number) }]), many }
})
</script>

<template>
  <section class="doc" aria-label="Rulebook" @keydown="onKey">
    <div class="tools">
      <template v-if="mayWork">
        <button type="button" class="link" @click="add">Add a rule</button>
        <kbd>n</kbd>
        <button
          type="button"
          class="link"
          :disabled="!book?.undo"
          :title="book?.undo ? `Undo: ${book.undo}` : 'Nothing to undo'"
          @click="undo"
        >
          Undo
        </button>
        <button
          type="button"
          class="link"
          :disabled="!book?.redo"
          :title="book?.redo ? `Redo: ${book.redo}` : 'Nothing to redo'"
          @click="redo"
        >
          Redo
        </button>
      </template>
      <span v-if="book" class="revision"
        >revision {{ book.revision.number
        }}{{
          book.revision.published
            ? ', published'
            : book.published !== null
              ? `, published is ${book.published}`
              : ', a draft'
        }}</span
      >
      <button type="button" class="link" @click="open('history')">History</button>
      <button type="button" class="link" @click="open('text')">As text</button>
    </div>
    <StateNote :loading="isLoading" :error="error" />
    <p v-if="released" class="soft released">
      This delivery is released. Changes here are tried on it and used from the next run on.
    </p>
    <StateNote
      v-if="book && !book.rules.length && !draft && !picking"
      class="first"
      empty="No rules yet. The profile shows what stands out; add a rule for it here, and its effect on all records appears in the margin."
    />
    <section v-for="group in book?.shared ?? []" :key="group.id" class="shared">
      <h2>
        Shared: {{ group.name }}
        <button v-if="mayWork" type="button" class="link" @click="switchShared(group.id, !group.on)">
          {{ group.on ? 'Switch off here' : 'Switch on here' }}
        </button>
      </h2>
      <p v-for="(sentence, i) in group.sentences" :key="i" :class="{ off: !group.on }">
        <SentenceText :parts="sentence" />
      </p>
    </section>
    <template v-for="group in groups" :key="group.title">
      <h2 v-if="group.rules.length">{{ group.title }}</h2>
      <div
        v-for="{ rule, i } in group.rules"
        :key="rule.rule.id"
        :draggable="mayWork"
        @dragstart="dragged = i"
        @dragover.prevent
        @drop.prevent="drop(i)"
      >
        <RuleLine
          :rule="rule"
          :effect="effectOf(rule.rule.id)"
          :remark="remarkOn(rule.rule.id)"
          :on="rule.rule.id === chosenId"
          :may-work="mayWork"
          @choose="choose(rule.rule.id)"
          @place="(number) => toNumber(rule.rule.id, number)"
        />
      </div>
    </template>
  </section>
  <section class="editor" tabindex="-1" aria-label="Rule">
    <KindPicker
      v-if="picking"
      :kinds="kinds.data.value ?? []"
      :columns="columns"
      :column="String(route.query.add ?? '') || undefined"
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
      :column="String(route.query.add ?? '') || undefined"
      @make="fromExample"
      @leave="choose(undefined)"
    />
    <template v-else-if="draft && kind && delivery">
      <form @submit.prevent="keepDraft" @keydown.ctrl.enter.capture.prevent.stop="keepAtOnce">
        <h2 v-if="isNew">New rule: {{ kind.title }}</h2>
        <h2 v-else-if="chosen">{{ chosen.number }}. <SentenceText :parts="chosen.sentence" /></h2>
        <p class="soft">{{ kind.about }}</p>
        <RuleForm
          v-model="draft"
          :kind="kind"
          :columns="columns"
          :disabled="!mayWork"
          :delivery="delivery.id"
          :rules="drafted"
        />
        <StateNote :error="problem" />
        <div v-if="mayWork" class="acts">
          <button class="btn main" :disabled="!dirty || saving">Save rule</button>
          <template v-if="!isNew">
            <button type="button" class="btn" :disabled="saving" @click="switchRule">
              {{ chosen?.rule.enabled ? 'Switch off' : 'Switch on' }}
            </button>
            <button type="button" class="btn" :disabled="saving" @click="moveRule(-1)">Move up</button>
            <button type="button" class="btn" :disabled="saving" @click="moveRule(1)">Move down</button>
            <button type="button" class="btn" :disabled="saving" @click="copyRule">Copy</button>
            <button type="button" class="btn" :disabled="saving" @click="remove">Remove</button>
          </template>
          <button v-else type="button" class="btn" @click="leave">Cancel</button>
        </div>
      </form>
      <EffectNow
        v-if="delivery.state === 'read'"
        :delivery="delivery.id"
        :rules="drafted"
        :rule="draft"
        :is-check="kind.is_check"
        :is-new="isNew"
      />
      <p v-if="doorOfRule" class="open">
        <RouterLink :to="doorOfRule.to">Open the {{ plural(doorOfRule.many, 'record') }}</RouterLink>
      </p>
    </template>
    <div v-else-if="chosen && chosen.rule.kind === 'unusable'" class="unusable">
      <h2>{{ chosen.number }}. <SentenceText :parts="chosen.sentence" /></h2>
      <p class="soft">
        It stays as it was stored and does nothing. A release waits until it is repaired or removed. This is
        what is stored:
      </p>
      <pre class="mono">{{ JSON.stringify(chosen.rule.stored, null, 2) }}</pre>
      <div v-if="mayWork" class="acts">
        <button type="button" class="btn" :disabled="saving" @click="remove">Remove</button>
      </div>
    </div>
    <div v-else-if="book" class="soft hint">
      <p v-if="told">
        {{ told.purpose === 'run' ? 'The run' : 'The trial' }} of this revision over
        {{ plural(delivery?.records ?? 0, 'record') }} fills the margin. Choose a rule to see what it changes.
      </p>
      <p v-else>The effects appear when the trial is done.</p>
      <p v-for="rule in told?.outcome?.stopped_by ?? []" :key="rule">
        <b>Rule {{ book.rules.find((one) => one.rule.id === rule)?.number }} stops the release.</b>
      </p>
    </div>
    <StateNote v-if="!draft && problem" :error="problem" />
    <StateNote v-if="ask.error.value" :error="ask.error.value" />
  </section>
</template>

<style scoped>
.unusable pre {
  overflow: auto;
  font-size: 12.5px;
  white-space: pre-wrap;
}
.doc {
  width: 52%;
  min-width: 0;
  padding: 0 0 20px 20px;
  overflow: auto;
}
.doc h2 {
  border-bottom: 1px solid var(--hair);
  padding: 10px 0 4px 38px;
  font-size: 13px;
  font-weight: 650;
}
.tools .link:disabled {
  color: var(--soft);
  cursor: default;
  text-decoration: none;
}
.revision {
  margin-left: auto;
}
.shared p {
  border-bottom: 1px solid var(--hair2);
  padding: 6px 16px 6px 38px;
}
.shared h2 {
  display: flex;
  gap: 14px;
}
.shared h2 .link {
  font-weight: 400;
}
.shared .off {
  color: var(--soft);
  text-decoration: line-through;
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
.editor h2 {
  margin-bottom: 2px;
  font-size: 14px;
}
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
}
.hint p,
.wait {
  max-width: 52ch;
  padding-top: 6px;
}
</style>
