<script setup lang="ts">
/** Several columns at once, each narrowing the others; the address keeps all of it. */
import { useAddress } from '@/app/address'
import type { Schemas } from '@/api/client'
import { recordsLink } from '@/features/records'
import { count, DataValue, share, StateNote } from '@/shared'
import { computed, ref, toRef } from 'vue'
import { useRoute } from 'vue-router'
import { hasBars, showOf, useCrossFilter, type Show } from '../logic/crossFilter'
import PanelBars from './PanelBars.vue'

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
function toggle(at: number, label: string): void {
  const picked = panels.value[at]?.picked ?? []
  const next = picked.includes(label) ? picked.filter((item) => item !== label) : [...picked, label]
  change(at, { picked: next.length ? next : undefined })
}
const typed = (event: Event) => (event.target as HTMLInputElement | HTMLSelectElement).value
function splitBy(name: string): void {
  ask({ split: name || undefined })
}
const SHOWS: Record<Show, string> = { bars: 'bars', values: 'values', shapes: 'shapes' }
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
      <article
        v-for="{ panel, at, filled } in shown"
        :key="`${at} ${panel.name}`"
        :aria-label="`Panel of ${panel.name}`"
      >
        <header>
          <h3 :title="panel.name">{{ panel.name }}</h3>
          <span class="faces">
            <button
              v-for="(label, show) in SHOWS"
              v-show="show !== 'bars' || hasBars(column(panel.name))"
              :key="show"
              type="button"
              class="link"
              :aria-pressed="showOf(panel, column(panel.name)) === show"
              @click="change(at, { show, range: undefined, picked: undefined })"
            >
              {{ label }}
            </button>
            <button
              type="button"
              class="link"
              :aria-label="`remove ${panel.name}`"
              @click="keep(panels.filter((_, i) => i !== at))"
            >
              ×
            </button>
          </span>
        </header>
        <template v-if="filled">
          <PanelBars
            v-if="filled.of === 'numbers' || filled.of === 'dates'"
            :shown="filled"
            :range="panel.range"
            :levels="fits?.levels.length ?? 0"
            @range="(range) => change(at, { range })"
          />
          <template v-else>
            <input
              class="field search"
              :value="panel.search ?? ''"
              :aria-label="`Find in ${panel.name}`"
              placeholder="Find"
              @change="change(at, { search: typed($event) || undefined })"
            />
            <ul>
              <li
                v-for="bar in filled.bars"
                :key="bar.label"
                :class="{ picked: panel.picked?.includes(bar.label), none: !bar.now }"
              >
                <button
                  type="button"
                  :aria-pressed="panel.picked?.includes(bar.label) ?? false"
                  :title="bar.label || 'missing'"
                  @click="toggle(at, bar.label)"
                >
                  <span class="label"><DataValue :value="bar.label" /></span>
                  <span class="track">
                    <u
                      class="every"
                      :style="{ width: `${(100 * bar.every) / (filled.bars[0]?.every || 1)}%` }"
                    ></u>
                    <span
                      v-if="fits?.levels.length"
                      class="levels"
                      :style="{
                        width: `${(100 * bar.now) / Math.max(1, ...filled.bars.map((each) => each.every))}%`,
                      }"
                    >
                      <u
                        v-for="(n, k) in bar.levels"
                        :key="k"
                        :class="`level-${k}`"
                        :style="{ flexGrow: n }"
                      ></u>
                    </span>
                    <u
                      v-else
                      class="now"
                      :style="{
                        width: `${(100 * bar.now) / Math.max(1, ...filled.bars.map((each) => each.every))}%`,
                      }"
                    ></u>
                  </span>
                </button>
                <RouterLink
                  class="door mono"
                  :to="
                    recordsLink(route, null, [
                      ...filters.filter((item) => item.name !== panel.name),
                      filled.of === 'shapes' && bar.label
                        ? { on: 'column', name: panel.name, test: 'shape', value: bar.label }
                        : {
                            on: 'column',
                            name: panel.name,
                            test: bar.label ? 'is' : 'missing',
                            value: bar.label,
                          },
                    ])
                  "
                  >{{ count(bar.now) }}</RouterLink
                >
              </li>
            </ul>
          </template>
          <p class="soft foot">
            <template v-if="filled.more">{{ count(filled.more) }} more values; use Find to see them</template>
            <template v-else-if="filled.aside"
              >{{ count(filled.aside) }} cells ({{ share(filled.aside, fits?.records ?? 0) }}) are in no
              bar</template
            >
          </p>
        </template>
      </article>
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
article {
  display: flex;
  flex-direction: column;
  height: 236px;
  border-top: 1px solid var(--ink);
  padding: 6px 0 10px;
}
header {
  display: flex;
  gap: 12px;
  align-items: baseline;
  justify-content: space-between;
  margin-bottom: 6px;
}
h3 {
  overflow: hidden;
  font: 600 13px var(--mono);
  text-overflow: ellipsis;
  white-space: nowrap;
}
.faces {
  display: flex;
  gap: 9px;
}
.faces [aria-pressed='true'] {
  color: var(--ink);
  font-weight: 650;
}
.search {
  width: 130px;
  margin-bottom: 3px;
}
ul {
  flex: 1;
  margin: 0;
  padding: 0;
  overflow: auto;
  list-style: none;
}
li {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(56px, max-content);
  gap: 8px;
  align-items: center;
  height: 22px;
}
li .door {
  justify-self: end;
}
li:hover,
li.picked {
  background: var(--wash);
}
li.picked {
  box-shadow: inset 3px 0 0 var(--ink);
}
li.none {
  opacity: 0.6;
}
li button {
  display: flex;
  flex: 1;
  gap: 8px;
  align-items: center;
  min-width: 0;
  border: 0;
  padding: 0 0 0 6px;
  background: none;
  color: inherit;
  font: inherit;
  text-align: left;
  cursor: pointer;
}
.label {
  width: 46%;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.track {
  position: relative;
  flex: 1;
  height: 9px;
}
.track u,
.levels {
  position: absolute;
  top: 0;
  bottom: 0;
  left: 0;
}
.every {
  background: var(--hair);
}
.now {
  background: var(--bar);
}
.levels {
  display: flex;
}
.levels u {
  position: static;
}
.foot {
  min-height: 18px;
  font-size: 12px;
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
