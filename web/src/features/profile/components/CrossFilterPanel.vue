<script setup lang="ts">
/** One column of the cross-filter: its bars, values or shapes, those that fit the other panels in front of all. */
import type { Schemas } from '@/api/client'
import { recordsLink, type Filter } from '@/features/records'
import { count, DataValue, share } from '@/shared'
import { computed } from 'vue'
import { useRoute } from 'vue-router'
import { hasBars, showOf, type Panel, type Show } from '../logic/crossFilter'
import PanelBars from './PanelBars.vue'

const props = defineProps<{
  panel: Panel
  column: Schemas['ColumnProfile'] | undefined
  filled: Schemas['Shown'] | undefined // until it is counted
  levels: number // of the column that splits
  records: number
  others: Filter[] // what the other panels choose
}>()
const emit = defineEmits<{ change: [entries: Partial<Panel>]; remove: [] }>()
const route = useRoute()
const SHOWS: Record<Show, string> = { bars: 'bars', values: 'values', shapes: 'shapes' }
const picked = computed(() => props.panel.picked ?? [])
function toggle(label: string): void {
  const next = picked.value.includes(label)
    ? picked.value.filter((item) => item !== label)
    : [...picked.value, label]
  emit('change', { picked: next.length ? next : undefined })
}
function search(event: Event): void {
  emit('change', { search: (event.target as HTMLInputElement).value || undefined })
}
const most = computed(() => Math.max(1, ...(props.filled?.bars ?? []).map((bar) => bar.every)))
const wide = (cells: number) => ({ width: `${(100 * cells) / most.value}%` })
/** The records of a value or shape that fit the other panels. */
function doorOf(label: string) {
  const on = { on: 'column' as const, name: props.panel.name }
  const isShape = props.filled?.of === 'shapes' && label
  const one: Filter = isShape
    ? { ...on, test: 'shape', value: label }
    : { ...on, test: label ? 'is' : 'missing', value: label }
  return recordsLink(route, null, [...props.others, one])
}
</script>

<template>
  <article :aria-label="`Panel of ${panel.name}`">
    <header>
      <h3 :title="panel.name">{{ panel.name }}</h3>
      <span class="faces">
        <button
          v-for="(label, show) in SHOWS"
          v-show="show !== 'bars' || hasBars(column)"
          :key="show"
          type="button"
          class="link"
          :aria-pressed="showOf(panel, column) === show"
          @click="emit('change', { show, range: undefined, picked: undefined })"
        >
          {{ label }}
        </button>
        <button type="button" class="link" :aria-label="`remove ${panel.name}`" @click="emit('remove')">
          ×
        </button>
      </span>
    </header>
    <template v-if="filled">
      <PanelBars
        v-if="filled.of === 'numbers' || filled.of === 'dates'"
        :shown="filled"
        :range="panel.range"
        :levels="levels"
        @range="(range) => emit('change', { range })"
      />
      <template v-else>
        <input
          class="field search"
          :value="panel.search ?? ''"
          :aria-label="`Find in ${panel.name}`"
          placeholder="Find"
          @change="search"
        />
        <ul>
          <li
            v-for="bar in filled.bars"
            :key="bar.label"
            :class="{ picked: picked.includes(bar.label), none: !bar.now }"
          >
            <button
              type="button"
              :aria-pressed="picked.includes(bar.label)"
              :title="bar.label || 'missing'"
              @click="toggle(bar.label)"
            >
              <span class="label"><DataValue :value="bar.label" /></span>
              <span class="track">
                <u class="every" :style="wide(bar.every)"></u>
                <span v-if="levels" class="levels" :style="wide(bar.now)">
                  <u v-for="(n, k) in bar.levels" :key="k" :class="`level-${k}`" :style="{ flexGrow: n }"></u>
                </span>
                <u v-else class="now" :style="wide(bar.now)"></u>
              </span>
            </button>
            <RouterLink class="door mono" :to="doorOf(bar.label)">{{ count(bar.now) }}</RouterLink>
          </li>
        </ul>
      </template>
      <p class="soft foot">
        <template v-if="filled.more">{{ count(filled.more) }} more values; use Find to see them</template>
        <template v-else-if="filled.aside"
          >{{ count(filled.aside) }} cells ({{ share(filled.aside, records) }}) are in no bar</template
        >
      </p>
    </template>
  </article>
</template>

<style scoped>
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
</style>
