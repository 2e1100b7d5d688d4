<script setup lang="ts">
/** The records behind a count: over any place, with the filter as phrases that can be taken away. */
import { useKeys } from '@/app/keys'
import { api, unwrap, type Schemas } from '@/api/client'
import { count, plural, StateNote } from '@/shared'
import { useQuery } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter, type RouteLocationNamedRaw } from 'vue-router'
import { END, useRuleChoices, useTableAfter } from '@/features/delivery'
import { useBlocks, type Wanted } from '../logic/blocks'
import {
  DELIVERED,
  LEFT,
  recordsLink,
  filtersOf,
  joinedTo,
  phrase,
  type Filter,
  type Joining,
} from '../logic/filters'
import FilterForm from './FilterForm.vue'
import SavedFilters from './SavedFilters.vue'
import RecordsGrid from './RecordsGrid.vue'

const props = defineProps<{ delivery: Schemas['WorkspaceOut'] }>()
const route = useRoute()
const router = useRouter()
const filters = computed(() => filtersOf(route.query))
const isLeft = computed(() => route.query.records === LEFT)
const run = computed(() =>
  isLeft.value || route.query.records === DELIVERED ? null : Number(route.query.records),
)
const {
  table,
  after,
  error: notLeft,
} = useTableAfter(
  computed(() => props.delivery.id),
  computed(() => props.delivery),
)
const isReady = computed(() => !isLeft.value || table.value !== undefined)
const sort = ref('')
const direction = ref<'up' | 'down'>('up')
const asked = computed<Wanted>(() => ({
  delivery: props.delivery.id,
  run: run.value,
  table: isLeft.value ? table.value : undefined,
  filters: filters.value,
  sort: sort.value,
  direction: direction.value,
}))
const { head, error, loading, need, row } = useBlocks(asked, isReady)
const total = computed(() => head.value?.total ?? 0)
watch(run, () => (sort.value = ''))

const FORMS = [
  { form: 'csv', label: 'CSV', about: 'Comma-separated text, for spreadsheets' },
  { form: 'jsonl', label: 'JSON', about: 'A JSON object in each line' },
  { form: 'parquet', label: 'Parquet', about: 'A columnar file with types' },
] // prettier-ignore
/** All the records shown here as a file. */
function fileOf(form: string): string {
  const query = new URLSearchParams({ form, where: JSON.stringify(asked.value.filters) })
  if (asked.value.run) query.set('run', String(asked.value.run))
  if (asked.value.table) query.set('table', String(asked.value.table))
  if (asked.value.sort) query.set('sort', asked.value.sort)
  query.set('direction', asked.value.direction)
  return `/api/deliveries/${asked.value.delivery}/records/file?${query}`
}
const adding = ref(false)
/** Asked for before they are needed, so that nobody waits for them. */
const tests = useQuery({
  queryKey: ['filter tests'],
  queryFn: () => unwrap(api.GET('/api/filter-tests')),
  staleTime: Infinity,
})
/** Records in a state, by the address. */
function go(records: string, next: Filter[]): void {
  const to = recordsLink(route, null, next) as RouteLocationNamedRaw
  void router.push({ ...to, query: { ...to.query, records } })
}
function show(next: Filter[]): void {
  go(String(route.query.records), next)
}
function add(filter: Filter, how: Joining): void {
  adding.value = false
  show(joinedTo(filters.value, filter, how))
}
/** All about a record of the grid. */
function openRecord(record: number): void {
  void router.push({ name: 'record', params: { id: String(props.delivery.id), record: String(record) } })
}
function close(): void {
  const query = { ...route.query }
  delete query.records
  delete query.where
  void router.push({ query })
}
function order(name: string): void {
  if (sort.value !== name) [sort.value, direction.value] = [name, 'up']
  else if (direction.value === 'up') direction.value = 'down'
  else [sort.value, direction.value] = ['', 'up']
}
useKeys({ Escape: close }, 'over')
const choices = useRuleChoices(computed(() => (after.value ? props.delivery.feed.slug : '')))
const afterWords = computed(() => {
  const rule = choices.value.find((choice) => choice.id === after.value)
  return after.value === END
    ? 'as all rules leave them'
    : `as the rules up to rule ${rule?.number ?? ''} leave them`
})
const stages = computed(() => {
  const stages = [{ label: 'as delivered', value: DELIVERED }]
  if (after.value) stages.push({ label: afterWords.value, value: LEFT })
  const { run: counting, trial } = props.delivery
  if (counting)
    stages.push({ label: `after the run of revision ${counting.revision}`, value: String(counting.id) })
  if (trial) stages.push({ label: `after the trial of revision ${trial.revision}`, value: String(trial.id) })
  return stages
})
function change(event: Event): void {
  const value = (event.target as HTMLSelectElement).value
  const next = filters.value.filter((filter) => filter.on === 'column' || filter.on === 'text')
  const isRun = value !== DELIVERED && value !== LEFT
  go(value, isRun ? filters.value : next)
}
</script>

<template>
  <section class="panel" aria-label="Records">
    <div class="tools">
      <b class="total">{{ plural(total, 'record') }}</b>
      <label class="hidden-label" for="records-stage">Which state of the records</label>
      <select id="records-stage" class="field stage" :value="String(route.query.records)" @change="change">
        <option v-for="stage in stages" :key="stage.value" :value="stage.value">
          {{ stage.label }}
        </option>
      </select>
      <span v-for="(filter, i) in filters" :key="i" class="phrase">
        {{ phrase(filter)
        }}<button
          type="button"
          class="link"
          :aria-label="`remove the filter ${phrase(filter)}`"
          @click="show(filters.filter((_, k) => k !== i))"
        >
          ×
        </button>
      </span>
      <button v-if="!adding" type="button" class="link" @click="adding = true">Add filter</button>
      <FilterForm
        v-else
        :columns="(head?.columns ?? []).map(({ name }) => name)"
        :tests="tests.data.value ?? []"
        :is-first="!filters.length"
        @add="add"
        @leave="adding = false"
      />
      <span v-if="total && isReady && !delivery.masked?.length" class="files">
        <span class="soft">Download</span>
        <a v-for="form in FORMS" :key="form.form" :href="fileOf(form.form)" download :title="form.about">{{
          form.label
        }}</a>
      </span>
      <SavedFilters :slug="delivery.feed.slug" :filters="filters" @apply="show" />
      <span class="end">
        <span v-if="loading" role="status">loading</span>
        <button type="button" class="link" @click="close">Close</button> <kbd>Esc</kbd>
      </span>
    </div>
    <StateNote v-if="error || notLeft" :error="error ?? notLeft" />
    <StateNote v-else-if="!isReady" loading />
    <StateNote
      v-else-if="head && !total"
      :empty="`No record fits. ${count(delivery.records)} were delivered; remove a filter.`"
    />
    <RecordsGrid
      v-if="head && total && !error"
      :key="JSON.stringify(asked)"
      :columns="head.columns"
      :files="head.files"
      :total="total"
      :judged="run !== null"
      :about="filters.find((filter) => filter.on === 'column')?.name"
      :row="row"
      :sort="sort"
      :direction="direction"
      @need="need"
      @order="order"
      @open="openRecord"
    />
  </section>
</template>

<style scoped>
.panel {
  position: absolute;
  inset: 0;
  z-index: 5;
  display: flex;
  flex-direction: column;
  padding-left: 20px;
  background: var(--paper);
}
.tools {
  flex-wrap: wrap;
  gap: 6px 15px;
}
.total {
  color: var(--ink);
  font-weight: 650;
}
.stage {
  width: auto;
  font-family: var(--sans);
}
.phrase {
  border-bottom: 1px solid var(--ink);
  color: var(--ink);
}
.phrase button {
  padding: 0 0 0 6px;
  font-size: 15px;
  line-height: 1;
}
.files {
  display: flex;
  gap: 8px;
}
.end {
  margin-left: auto;
}
</style>
