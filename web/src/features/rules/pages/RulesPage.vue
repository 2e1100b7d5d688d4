<script setup lang="ts">
/** The rulebook as a numbered document; beside it the chosen rule with its effect on this delivery. */
import { api, must, type Schemas } from '@/api/client'
import { useKeys } from '@/app/keys'
import { useDelivery } from '@/features/delivery'
import { usePerson } from '@/features/session'
import { plural, SentenceText, StateNote } from '@/shared'
import { useQuery } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import EffectRecords from '../components/EffectRecords.vue'
import KindPicker from '../components/KindPicker.vue'
import RuleForm from '../components/RuleForm.vue'
import RuleLine from '../components/RuleLine.vue'
import { blankRule } from '../logic/fields'
import { freshId, moved, useRulebook, type Rule } from '../logic/rulebook'

const route = useRoute()
const router = useRouter()
const { mayWork } = usePerson()
const { delivery, ask } = useDelivery()
const slug = computed(() => delivery.value?.feed.slug ?? '')
const released = computed(() => delivery.value?.release === 'published')
const { book, error, isLoading, rules, keep, undo, redo, past, future, problem, saving } = useRulebook(
  slug,
  () => ask.mutate('trials'),
)
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

const chosenId = computed(() => String(route.query.rule ?? ''))
const at = computed(() => rules.value.findIndex((rule) => rule.id === chosenId.value))
const chosen = computed(() => book.value?.rules[at.value])
const picking = ref(false)
const draft = ref<Rule>()
const isNew = computed(
  () => draft.value !== undefined && !rules.value.some((rule) => rule.id === draft.value?.id),
)
const kind = computed(() => kinds.data.value?.find((one) => one.kind === draft.value?.kind))
const dirty = computed(
  () => isNew.value || JSON.stringify(draft.value) !== JSON.stringify(chosen.value?.rule),
)
const columns = computed(() => delivery.value?.columns ?? [])
const trialColumns = computed(() => (draft.value?.columns as string[] | undefined) ?? [])

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
    if (add !== undefined) picking.value = true
  },
  { immediate: true },
)

function choose(id: string | undefined): void {
  void router.replace({ query: id ? { rule: id } : {} })
}
function pick(one: Schemas['KindOut']): void {
  draft.value = blankRule(
    one,
    freshId(rules.value, one.kind),
    String(route.query.add ?? '') || undefined,
  ) as Rule
  picking.value = false
  void router.replace({ query: {} })
}
function leave(): void {
  picking.value = false
  if (isNew.value) draft.value = undefined
  else if (chosen.value) draft.value = { ...(chosen.value.rule as Rule) }
  if (route.query.add !== undefined) void router.replace({ query: {} })
}
async function keepDraft(): Promise<void> {
  const one = draft.value
  if (!one || saving.value || !dirty.value) return
  const title = kind.value?.title.toLowerCase() ?? one.kind
  const next = isNew.value
    ? [...rules.value, one]
    : rules.value.map((rule) => (rule.id === one.id ? one : rule))
  await keep(next, `${isNew.value ? 'added' : 'changed'}: ${title}`)
  choose(one.id)
}
async function switchRule(): Promise<void> {
  const one = chosen.value?.rule
  if (!one) return
  const next = rules.value.map((rule) => (rule.id === one.id ? { ...rule, enabled: !rule.enabled } : rule))
  await keep(next, `switched rule ${at.value + 1} ${one.enabled ? 'off' : 'on'}`)
}
async function remove(): Promise<void> {
  const number = at.value + 1
  const next = rules.value.filter((_, i) => i !== at.value)
  await keep(next, `removed rule ${number}`)
  draft.value = undefined
  choose(next[Math.min(at.value, next.length - 1)]?.id)
}
async function moveRule(by: number): Promise<void> {
  if (at.value < 0 || saving.value) return
  const all = (book.value?.rules ?? []) as Schemas['RuleOut'][]
  const next = moved(all, at.value, by)
  if (next !== all)
    await keep(
      next.map(({ rule }) => rule as Rule),
      `moved rule ${at.value + 1}`,
    )
}
const step = (by: number) => {
  const next = rules.value[Math.max(0, Math.min(rules.value.length - 1, at.value + by))]
  if (next) choose(next.id)
}
const mine = (action: () => void) => () => {
  if (mayWork.value) action()
}
useKeys({
  n: mine(() => (picking.value = true)),
  j: () => step(1),
  k: () => step(-1),
  o: mine(() => void switchRule()),
  Enter: mine(() => void keepDraft()),
  Escape: leave,
  'Ctrl+z': mine(() => void undo()),
  'Ctrl+Shift+z': mine(() => void redo()),
})
function onKey(event: KeyboardEvent): void {
  if (!event.altKey || !mayWork.value) return
  if (event.key === 'ArrowUp' || event.key === 'ArrowDown') {
    event.preventDefault()
    void moveRule(event.key === 'ArrowUp' ? -1 : 1)
  }
}
const dragged = ref(-1)
function drop(to: number): void {
  const from = dragged.value
  dragged.value = -1
  const all = (book.value?.rules ?? []) as Schemas['RuleOut'][]
  const one = all[from]
  if (!one || from === to || all[to]?.is_check !== one.is_check) return
  const next = moved(all, from, to - from)
  void keep(
    next.map(({ rule }) => rule as Rule),
    `moved rule ${from + 1}`,
  )
}
const groups = computed(() => {
  const all = (book.value?.rules ?? []).map((rule, i) => ({ rule, i }))
  return [
    { title: 'Corrections', rules: all.filter(({ rule }) => !rule.is_check) },
    { title: 'Checks', rules: all.filter(({ rule }) => rule.is_check) },
  ]
})
</script>

<template>
  <section class="doc" aria-label="Rulebook" @keydown="onKey">
    <div class="tools">
      <template v-if="mayWork">
        <button type="button" class="link" @click="((picking = true), choose(undefined))">Add a rule</button>
        <kbd>n</kbd>
        <button type="button" class="link" :disabled="!past.length" @click="undo">Undo</button>
        <button type="button" class="link" :disabled="!future.length" @click="redo">Redo</button>
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
          :number="i + 1"
          :effect="effectOf(rule.rule.id)"
          :on="rule.rule.id === chosenId"
          @choose="choose(rule.rule.id)"
        />
      </div>
    </template>
  </section>
  <section class="editor" tabindex="-1" aria-label="Rule">
    <KindPicker
      v-if="picking"
      :kinds="kinds.data.value ?? []"
      :column="String(route.query.add ?? '') || undefined"
      @pick="pick"
      @leave="leave"
    />
    <template v-else-if="draft && kind">
      <h2>
        {{ isNew ? 'New' : at + 1 }}.
        <SentenceText v-if="chosen && !dirty" :parts="chosen.sentence" /><template v-else>{{
          kind.title
        }}</template>
      </h2>
      <p class="soft">{{ kind.about }}</p>
      <form @submit.prevent="keepDraft">
        <RuleForm v-model="draft" :kind="kind" :columns="columns" :disabled="!mayWork" />
        <StateNote :error="problem" />
        <div v-if="mayWork" class="acts">
          <button class="btn main" :disabled="!dirty || saving">Keep</button>
          <template v-if="!isNew">
            <button type="button" class="btn" :disabled="saving" @click="switchRule">
              {{ chosen?.rule.enabled ? 'Switch off' : 'Switch on' }}
            </button>
            <button type="button" class="btn" :disabled="saving" @click="moveRule(-1)">Move up</button>
            <button type="button" class="btn" :disabled="saving" @click="moveRule(1)">Move down</button>
            <button type="button" class="btn" :disabled="saving" @click="remove">Remove</button>
          </template>
          <button v-else type="button" class="btn" @click="leave">Leave</button>
        </div>
      </form>
      <EffectRecords
        v-if="!isNew && told && delivery && effectOf(draft.id) && chosen?.rule.enabled"
        :delivery="delivery.id"
        :run="told.id"
        :effect="effectOf(draft.id)!"
        :columns="trialColumns"
        :is-check="kind.is_check"
      />
      <p v-else-if="!isNew && chosen?.rule.enabled" class="soft wait">
        The effect appears when the trial is done.
      </p>
    </template>
    <div v-else-if="book" class="soft hint">
      <p v-if="told">
        {{ told.purpose === 'run' ? 'The run' : 'The trial' }} of this revision over
        {{ plural(delivery?.records ?? 0, 'record') }} fills the margin. Choose a rule to see the records it
        touches.
      </p>
      <p v-else>The effects appear when the trial is done.</p>
      <p v-for="rule in told?.outcome?.stopped_by ?? []" :key="rule">
        <b>Rule {{ rules.findIndex((one) => one.id === rule) + 1 }} stops the release.</b>
      </p>
    </div>
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
