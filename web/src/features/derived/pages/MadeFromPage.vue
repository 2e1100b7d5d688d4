<script setup lang="ts">
/** What a feed is made from: the released table it begins with, the steps, and what they make of all that is released now. */
import { api, unwrap } from '@/api/client'
import { useUnsaved } from '@/app/unsaved'
import { FeedHeading } from '@/features/release'
import { OTHER_TABLES, RuleForm, type Rule } from '@/features/rules'
import { usePerson } from '@/features/session'
import { useFreshWithWork } from '@/features/work'
import { ask, count, plural, StateNote } from '@/shared'
import { keepPreviousData, useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { refDebounced } from '@vueuse/core'
import { computed, nextTick, provide, ref, watch } from 'vue'
import { useRoute } from 'vue-router'
import StepLine from '../components/StepLine.vue'
import { asText, kindsOfSteps, movedStep, newStep } from '../logic/steps'

const route = useRoute()
const queries = useQueryClient()
const { mayWork } = usePerson()
const slug = computed(() => String(route.params.slug))
const params = computed(() => ({ path: { slug: slug.value } }))
const { data, error, isLoading } = useQuery({
  queryKey: ['made-from', slug],
  queryFn: () => unwrap(api.GET('/api/feeds/{slug}/derived-from', { params: params.value })),
})
const kinds = useQuery({
  queryKey: ['rule-kinds'],
  queryFn: () => unwrap(api.GET('/api/rule-kinds')),
  staleTime: Infinity,
})
const base = ref('')
const steps = ref<Rule[]>([])
const version = ref(0)
const kept = ref(asText('', []))
const at = ref(-1)
const dirty = computed(() => asText(base.value, steps.value) !== kept.value)
watch(
  () => data.value?.plan,
  (plan) => {
    if (dirty.value) return // what is typed stays; saving says when somebody else was faster
    base.value = plan?.base ?? ''
    steps.value = (plan?.steps ?? []).map(({ rule }) => rule as Rule)
    version.value = plan?.version ?? 0
    kept.value = asText(base.value, steps.value)
    at.value = -1
  },
  { immediate: true },
)
useFreshWithWork('made-from', 'made-from-tried')
const tables = computed(() => data.value?.tables ?? [])
provide(
  OTHER_TABLES,
  computed(() =>
    tables.value
      .filter((each) => each.columns.length)
      .map(({ slug, name, columns }) => ({ name: slug, label: name, columns })),
  ),
)
const typed = refDebounced(
  computed(() => asText(base.value, steps.value)),
  300,
)
const tried = useQuery({
  queryKey: ['made-from-tried', slug, typed],
  queryFn: () =>
    unwrap(
      api.POST('/api/feeds/{slug}/derived-from/try', {
        params: params.value,
        body: { base: base.value, steps: steps.value as never[] },
      }),
    ),
  enabled: () => Boolean(base.value),
  placeholderData: keepPreviousData,
  retry: false,
})
const seen = computed(() => tried.data.value)
const chosen = computed(() => steps.value[at.value])
const kind = computed(() => kinds.data.value?.find((each) => each.kind === chosen.value?.kind))
/** The columns that the chosen step finds. */
const columns = computed(() => (seen.value?.columns[at.value] ?? []).map(({ name }) => name))
const isNumber = (type = '') => /number|decimal/.test(type)
const last = computed(() => seen.value?.columns.at(-1) ?? [])
function add(event: Event): void {
  const select = event.target as HTMLSelectElement
  const added = kinds.data.value?.find((each) => each.kind === select.value)
  select.value = ''
  if (!added) return
  steps.value = [...steps.value, newStep(added, steps.value)]
  at.value = steps.value.length - 1
  void nextTick(() => setTimeout(() => document.getElementById('rule-reference')?.focus(), 60))
}
function change(rule: Rule): void {
  steps.value = steps.value.map((each, place) => (place === at.value ? rule : each))
}
function move(place: number, by: number): void {
  steps.value = movedStep(steps.value, place, by)
  if (at.value === place) at.value = place + by
}
function remove(place: number): void {
  steps.value = steps.value.filter((_, each) => each !== place)
  at.value = -1
}
const path = () => ({ params: params.value })
const fresh = () => queries.invalidateQueries({ queryKey: ['made-from', slug.value] })
const save = useMutation({
  mutationFn: () =>
    unwrap(
      api.PUT('/api/feeds/{slug}/derived-from', {
        ...path(),
        body: { base: base.value, steps: steps.value as never[], version: version.value },
      }),
    ),
  onSuccess: async (plan) => {
    kept.value = asText(base.value, steps.value)
    version.value = plan.version
    at.value = -1
    await fresh()
  },
})
const drop = useMutation({
  mutationFn: () => unwrap(api.DELETE('/api/feeds/{slug}/derived-from', path())),
  onSuccess: fresh,
})
async function end(): Promise<void> {
  const title = 'Is this feed no longer made from other feeds?'
  if (await ask({ title, content: 'Its deliveries stay.', yes: 'End it', no: 'Cancel' })) drop.mutate()
}
useUnsaved({ what: () => 'What this feed is made from', dirty: () => dirty.value && !save.isPending.value })
</script>

<template>
  <main class="page">
    <FeedHeading :slug="slug" about="made from releases" back="feed">
      <RouterLink :to="{ name: 'lineage', params: { slug } }">Lineage</RouterLink>
      <button
        v-if="mayWork"
        type="button"
        class="btn main"
        :disabled="!base || !dirty || save.isPending.value || Boolean(seen?.problem && seen.step)"
        @click="save.mutate()"
      >
        Save
      </button>
    </FeedHeading>
    <StateNote :loading="isLoading" :error="error ?? save.error.value ?? drop.error.value" />
    <div v-if="data" class="halves">
      <section>
        <p class="first">
          <label for="base">Begin with the released records of</label>
          <select id="base" v-model="base" class="field" :disabled="!mayWork">
            <option value="" disabled>choose a feed</option>
            <option v-for="table in tables" :key="table.slug" :value="table.slug">
              {{ table.name }}{{ table.columns.length ? '' : ' (nothing released yet)' }}
            </option>
          </select>
        </p>
        <p v-if="!tables.length" class="soft">
          There is no other feed yet. Make one and release a delivery of it first.
        </p>
        <ol v-if="base">
          <StepLine
            v-for="(step, place) in steps"
            :key="step.id"
            :number="place + 1"
            :title="kinds.data.value?.find((each) => each.kind === step.kind)?.title ?? step.kind"
            :sentence="seen?.sentences[place]"
            :records="seen?.records[place + 1]"
            :problem="seen?.step === place + 1 ? `${seen.problem} ${seen.advice}` : ''"
            :is-open="place === at"
            :is-last="place === steps.length - 1"
            :may-work="mayWork"
            @open="at = place === at ? -1 : place"
            @move="(by) => move(place, by)"
            @remove="remove(place)"
          >
            <RuleForm
              v-if="place === at && kind && chosen"
              :model-value="chosen"
              :kind="kind"
              :columns="columns"
              :disabled="!mayWork"
              :delivery="0"
              :rules="steps"
              @update:model-value="change"
            />
          </StepLine>
        </ol>
        <p v-if="base && mayWork" class="add">
          <label for="new-step">Add a step</label>
          <select id="new-step" class="field" @change="add">
            <option value="">choose what it does</option>
            <optgroup
              v-for="[group, some] in kindsOfSteps(kinds.data.value ?? [])"
              :key="group"
              :label="group"
            >
              <option v-for="each in some" :key="each.kind" :value="each.kind">{{ each.title }}</option>
            </optgroup>
          </select>
        </p>
        <p v-if="data.plan && mayWork" class="end">
          <button type="button" class="link" @click="end">No longer make it from other feeds</button>
        </p>
      </section>
      <section class="result">
        <h2>
          What they make now
          <span v-if="seen && !seen.problem" class="soft">{{
            `${plural(seen.records.at(-1) ?? 0, 'record')}, ${plural(last.length, 'column')}`
          }}</span>
          <span v-if="tried.isFetching.value" class="soft" role="status">trying …</span>
        </h2>
        <StateNote
          :error="tried.error.value"
          :empty="
            base
              ? ''
              : 'Choose the feed whose released records come first. Then add steps that look up, append or sum up the released tables of others.'
          "
        />
        <p v-if="seen?.problem && seen.step" class="soft">Nothing: step {{ seen.step }} does not fit yet.</p>
        <p v-else-if="seen?.problem" role="alert">{{ seen.problem }} {{ seen.advice }}</p>
        <div v-else-if="seen" class="table" tabindex="0" role="region" aria-label="First records">
          <table class="lines">
            <thead>
              <tr>
                <th
                  v-for="column in last"
                  :key="column.name"
                  :class="{ num: isNumber(column.type) }"
                  :title="column.type"
                >
                  {{ column.name }}
                </th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="(row, place) in seen.rows" :key="place">
                <td v-for="(value, i) in row" :key="i" :class="{ num: isNumber(last[i]?.type) }">
                  <span v-if="value === null" class="soft">missing</span>
                  <span v-else class="mono">{{ value }}</span>
                </td>
              </tr>
            </tbody>
          </table>
          <p class="soft">
            {{
              (seen.records.at(-1) ?? 0) > seen.rows.length
                ? `The first ${count(seen.rows.length)} of ${count(seen.records.at(-1) ?? 0)} records.`
                : ''
            }}
          </p>
        </div>
      </section>
    </div>
  </main>
</template>

<style scoped>
.halves {
  display: grid;
  grid-template-columns: minmax(340px, 5fr) minmax(0, 6fr);
  gap: 0 28px;
}
section {
  border-top: 1px solid var(--hair);
  min-width: 0;
}
h2 {
  display: flex;
  gap: 10px;
  align-items: baseline;
  padding: 9px 0 6px;
  font-size: 13px;
  font-weight: 650;
}
h2 span {
  font-weight: 400;
}
.first,
.add {
  display: grid;
  grid-template-columns: auto minmax(0, 1fr);
  gap: 10px;
  align-items: baseline;
  padding: 8px 0;
}
.add label,
.first label {
  color: var(--soft);
}
.end {
  margin-top: 18px;
}
ol {
  margin: 0;
  border-top: 1px solid var(--hair2);
  padding: 0;
  list-style: none;
}
.table {
  overflow-x: auto;
}
td,
th {
  white-space: nowrap;
}
@media (max-width: 900px) {
  .halves {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
