<script setup lang="ts">
/** Several columns at once, each narrowing the others; the address keeps all of it. */
import { useAddress } from '@/app/address'
import type { Schemas } from '@/api/client'
import { recordsLink } from '@/features/records'
import { count, DataValue, StateNote } from '@/shared'
import { computed, ref, toRef } from 'vue'
import { useRoute } from 'vue-router'
import { useCrossFilter } from '../logic/crossFilter'
import CrossFilterPanel from './CrossFilterPanel.vue'

const props = defineProps<{ id: number; profile: Schemas['Profile'] }>()
const route = useRoute()
const { ask } = useAddress()
const { panels, split, keep, change, column, look, filters } = useCrossFilter(
  toRef(props, 'id'),
  toRef(props, 'profile'),
)
const shown = computed(() =>
  panels.value.map((panel, at) => ({ panel, at, filled: look.data.value?.panels[at] })),
)
const fits = computed(() => look.data.value)
function add(event: Event): void {
  const field = event.target as HTMLSelectElement
  if (field.value) keep([...panels.value, { name: field.value }])
  field.value = ''
}
const typed = (event: Event) => (event.target as HTMLInputElement | HTMLSelectElement).value
function splitBy(name: string): void {
  ask({ split: name || undefined })
}
const likely = computed(() =>
  props.profile.columns
    .filter(
      (column) =>
        column.distinct > 1 &&
        (column.role === 'category' || column.role === 'quantity' || column.role === 'time'),
    )
    .slice(0, 3)
    .map((column) => ({ name: column.name })),
)
const levels = computed(() => {
  const other = fits.value?.panels.some((panel) => panel.bars.some((bar) => bar.levels.at(-1)))
  return [...(fits.value?.levels ?? []), ...(other ? ['other values'] : [])]
})
const copied = ref(false)
async function copy(): Promise<void> {
  await navigator.clipboard.writeText(window.location.href)
  copied.value = true
  window.setTimeout(() => (copied.value = false), 2000)
}
</script>

<template>
  <section class="register" tabindex="0" aria-label="Cross-filter">
    <div class="tools">
      <label class="hidden-label" for="add-panel">Add a column</label>
      <select id="add-panel" class="field pick" @change="add">
        <option value="">Add a column</option>
        <option v-for="eachColumn in profile.columns" :key="eachColumn.name" :value="eachColumn.name">
          {{ eachColumn.name }}
        </option>
      </select>
      <label for="split-by">split by</label>
      <select id="split-by" class="field pick" :value="split" @change="splitBy(typed($event))">
        <option value="">nothing</option>
        <option v-for="eachColumn in profile.columns" :key="eachColumn.name" :value="eachColumn.name">
          {{ eachColumn.name }}
        </option>
      </select>
      <template v-if="fits && panels.length">
        <span role="status"
          ><RouterLink class="door" :to="recordsLink(route, null, filters)">{{
            count(fits.fitting)
          }}</RouterLink>
          of {{ count(fits.records) }} records fit</span
        >
        <span v-if="look.isFetching.value" class="soft">counting</span>
      </template>
      <span class="facts">
        <button
          v-if="filters.length"
          type="button"
          class="link"
          @click="keep(panels.map((p) => ({ name: p.name, show: p.show })))"
        >
          Clear choices
        </button>
        <button v-if="panels.length" type="button" class="link" @click="copy">
          {{ copied ? 'Address copied' : 'Copy the address' }}
        </button>
      </span>
    </div>
    <p v-if="split && fits" class="legend">
      <span class="soft">{{ split }}:</span>
      <span v-for="(level, k) in levels" :key="level"
        ><u :class="`level-${k}`"></u><DataValue :value="level"
      /></span>
    </p>
    <StateNote :loading="look.isLoading.value && panels.length > 0" :error="look.error.value" />
    <div v-if="!panels.length" class="start">
      <p>
        Add columns. What you choose in one filters all the others: drag over bars, press values or shapes.
        Every count opens its records.
      </p>
      <p v-if="likely.length">
        <button type="button" class="btn" @click="keep(likely)">
          Start with {{ likely.map((item) => item.name).join(', ') }}
        </button>
      </p>
    </div>
    <div class="panels">
      <CrossFilterPanel
        v-for="{ panel, at, filled } in shown"
        :key="`${at} ${panel.name}`"
        :panel="panel"
        :column="column(panel.name)"
        :filled="filled"
        :levels="fits?.levels.length ?? 0"
        :records="fits?.records ?? 0"
        :others="filters.filter((item) => item.name !== panel.name)"
        @change="(entries) => change(at, entries)"
        @remove="keep(panels.filter((_, i) => i !== at))"
      />
    </div>
  </section>
</template>

<style scoped>
.pick {
  width: auto;
  max-width: 180px;
  font-family: var(--sans);
}
.facts {
  display: flex;
  gap: 15px;
  margin-left: auto;
}
.start {
  max-width: 560px;
  padding: 24px 0;
}
.start p + p {
  margin-top: 12px;
}
.panels {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(330px, 1fr));
  gap: 0 26px;
  padding-right: 20px;
}
.legend {
  display: flex;
  gap: 14px;
  padding-bottom: 8px;
}
.legend span {
  display: inline-flex;
  gap: 5px;
  align-items: center;
}
.legend u {
  width: 10px;
  height: 10px;
}
/* the values of the column that splits: from ink to paper, the third and fifth hatched, so that neighbours differ */
:deep(.level-0) {
  background: var(--ink);
}
:deep(.level-1) {
  background: color-mix(in srgb, var(--press) 75%, var(--paper));
}
:deep(.level-2) {
  background: repeating-linear-gradient(45deg, var(--ink) 0 1.5px, var(--paper) 1.5px 4px);
}
:deep(.level-3) {
  background: var(--bar2);
}
:deep(.level-4) {
  background: repeating-linear-gradient(-45deg, var(--press) 0 1.5px, var(--paper) 1.5px 4px);
}
:deep(.level-5) {
  background: var(--hair);
}
</style>
