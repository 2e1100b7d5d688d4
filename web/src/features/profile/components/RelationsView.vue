<script setup lang="ts">
/** How the columns go together: a square of strengths, and beside it the chosen column or pair. */
import { useAddress } from '@/app/address'
import type { Schemas } from '@/api/client'
import { count, StateNote } from '@/shared'
import { computed, ref, toRef } from 'vue'
import { alikeTogether, bothWays, square, useRelations } from '../logic/relations'
import { useSettled } from '../logic/settled'

const props = defineProps<{ id: number; profile: Schemas['Profile'] }>()
const { query, ask } = useAddress()
const { kept, target } = useSettled(toRef(props, 'id'))
const exact = computed(() => query.value.exact === '1')
const relations = useRelations(
  toRef(props, 'id'),
  computed(() => (kept.isPending.value ? undefined : props.profile)),
  target,
  exact,
)
const order = ref<'alike' | 'table'>('alike')
const of = ref<'strength' | 'missing'>('strength')
const names = computed(() => relations.data.value?.columns.map((column) => column.name) ?? [])
const cells = computed(() =>
  square(
    (of.value === 'missing' ? relations.data.value?.missing : relations.data.value?.pairs) ?? [],
    names.value.length,
  ),
)
const shown = computed(() => {
  const every = order.value === 'alike' ? alikeTogether(cells.value) : cells.value.map((_, at) => at)
  return every.filter((at) => cells.value[at]!.some(Boolean))
})
const LEFT = 148
const size = computed(() => Math.max(7, Math.min(24, Math.floor(590 / Math.max(1, shown.value.length)))))
const line = computed(() => Math.max(12, size.value))
/** The strength is the side of a filled square; a correlation below zero is drawn hollow. */
const marks = computed(() =>
  shown.value.flatMap((row, y) =>
    shown.value.flatMap((column, x) => {
      const pair = cells.value[row]![column]
      const side = pair ? Math.max(1, pair.strength * (size.value - 1)) : 0
      if (!pair || pair.strength < 0.05) return []
      const below =
        (Math.abs(pair.spearman ?? 0) > Math.abs(pair.pearson ?? 0) ? pair.spearman : pair.pearson) ?? 0
      return [
        {
          key: `${row} ${column}`,
          x: LEFT + x * size.value + (size.value - side) / 2,
          y: y * line.value + (line.value - side) / 2,
          side,
          hollow: below < 0,
        },
      ]
    }),
  ),
)
const hover = ref<[number, number]>()
function at(event: MouseEvent): [number, number] | undefined {
  const box = (event.currentTarget as Element).getBoundingClientRect()
  const x = Math.floor((event.clientX - box.left - LEFT) / size.value)
  const y = Math.floor((event.clientY - box.top) / line.value)
  const [row, column] = [shown.value[y], shown.value[x]]
  return row === undefined ? undefined : [row, column ?? row]
}
function choose(column: string | undefined, other?: string): void {
  ask({ column, other: other === column ? undefined : other })
}
function press(event: MouseEvent): void {
  const place = at(event)
  if (place) choose(names.value[place[0]], names.value[place[1]])
}
const chosen = computed(() => {
  const asked = names.value.indexOf(String(query.value.column))
  return asked >= 0 ? asked : (shown.value[0] ?? -1)
})
const other = computed(() => names.value.indexOf(String(query.value.other ?? '')))
const partners = computed(() => {
  const row = cells.value[chosen.value] ?? []
  return row
    .flatMap((pair, place) => (pair ? [{ pair, name: names.value[place]! }] : []))
    .sort((a, b) => b.pair.strength - a.pair.strength)
    .slice(0, 60)
})
const foretold = computed(() =>
  [...(relations.data.value?.foretold ?? [])].sort((a, b) => (b.skill ?? -1) - (a.skill ?? -1)),
)
const two = (value: number | null | undefined) =>
  value === null || value === undefined ? '–' : value.toFixed(2)
function say(name: 'target' | 'exact', value: string): void {
  ask({ [name]: value || (name === 'target' ? '' : undefined) }) // no target is a choice, where the feed has one
}
const typed = (event: Event) => (event.target as HTMLSelectElement).value
const look = (...columns: string[]) => ({
  query: { view: 'cross-filter', look: JSON.stringify(columns.map((name) => ({ name }))) },
})
const left = computed(() => relations.data.value?.columns.filter((column) => column.why_not) ?? [])
</script>

<template>
  <section class="register" tabindex="0" aria-label="Relations between columns">
    <div class="tools">
      <label for="relation-of">Show</label>
      <select id="relation-of" v-model="of" class="field pick">
        <option value="strength">strength of association</option>
        <option value="missing">missing together</option>
      </select>
      <label for="relation-order">in the order</label>
      <select id="relation-order" v-model="order" class="field pick">
        <option value="alike">alike together</option>
        <option value="table">of the table</option>
      </select>
      <span v-if="relations.data.value" class="soft">
        <template v-if="relations.data.value.compared < relations.data.value.records"
          >≈ over {{ count(relations.data.value.compared) }} of
          {{ count(relations.data.value.records) }} records at even distances
          <button type="button" class="link" @click="say('exact', '1')">Compare all</button></template
        >
        <template v-else>over all {{ count(relations.data.value.records) }} records</template>
      </span>
    </div>
    <StateNote :loading="relations.busy.value" :error="relations.error.value" />
    <p v-if="relations.busy.value" class="soft" role="status">
      Comparing every column with every other, {{ Math.round(100 * relations.share.value) }} %
    </p>
    <template v-if="relations.data.value">
      <p class="soft key">
        The side of a square is the strength, from 0 to 1; hollow where one falls as the other rises.
        {{
          relations.data.value.left_out
            ? `${count(relations.data.value.left_out)} columns beyond 300 are left out.`
            : ''
        }}
      </p>
      <StateNote
        v-if="!shown.length"
        :empty="of === 'missing' ? 'No two columns are missing together.' : 'No two columns can be compared.'"
      />
      <svg
        v-else
        :width="LEFT + shown.length * size + 4"
        :height="shown.length * line + 2"
        role="img"
        :aria-label="`Square of ${shown.length} columns; the list beside it says the same of the chosen column`"
        @mousemove="hover = at($event)"
        @mouseleave="hover = undefined"
        @click="press"
      >
        <rect
          v-for="place in new Set([hover?.[0] ?? chosen, hover?.[1] ?? (other >= 0 ? other : chosen)])"
          :key="`row ${place}`"
          class="band"
          x="0"
          :y="shown.indexOf(place) * line"
          :width="LEFT + shown.length * size"
          :height="line"
        />
        <rect
          v-if="hover || other >= 0"
          class="band"
          :x="LEFT + shown.indexOf(hover?.[1] ?? other) * size"
          y="0"
          :width="size"
          :height="shown.length * line"
        />
        <rect
          v-for="mark in marks"
          :key="mark.key"
          :class="{ hollow: mark.hollow }"
          :x="mark.x"
          :y="mark.y"
          :width="mark.side"
          :height="mark.side"
        />
        <text
          v-for="(place, y) in shown"
          :key="place"
          :x="LEFT - 6"
          :y="y * line + line / 2 + 3.5"
          :class="{ on: place === chosen }"
        >
          {{ names[place]!.length > 22 ? names[place]!.slice(0, 21) + '…' : names[place] }}
        </text>
        <title v-if="hover">{{ names[hover[0]] }} and {{ names[hover[1]] }}</title>
      </svg>
      <p v-if="left.length" class="soft out">
        Not compared:
        <span v-for="(item, i) in left" :key="item.name"
          >{{ i ? ', ' : '' }}<span class="mono">{{ item.name }}</span> ({{ item.why_not }})</span
        >
      </p>
    </template>
  </section>
  <aside class="sheet" tabindex="0" aria-label="Relations of the chosen column">
    <template v-if="relations.data.value && names[chosen]">
      <h2>{{ names[chosen] }}</h2>
      <p v-if="hover && hover[0] !== hover[1]" class="mono now">
        {{ names[hover[0]] }} × {{ names[hover[1]] }}: {{ two(cells[hover[0]]?.[hover[1]]?.strength) }}
      </p>
      <p v-else class="soft now">Hover over a square for its pair; click it to keep it.</p>
      <table v-if="partners.length" class="lines">
        <thead>
          <tr>
            <th>{{ of === 'missing' ? 'Missing with' : 'Goes with' }}</th>
            <th></th>
            <th class="num">strength</th>
            <th class="num" title="Pearson's correlation">r</th>
            <th class="num" title="Spearman's rank correlation">ρ</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="{ pair, name } in partners" :key="name" :class="{ on: names[other] === name }">
            <td class="name">
              <RouterLink :to="look(names[chosen]!, name)" :title="`${name}: look at both`">{{
                name
              }}</RouterLink>
            </td>
            <td class="track">
              <u :style="{ width: `${100 * pair.strength}%` }"></u>
              <small v-if="bothWays(pair, chosen)" class="soft mono">{{ bothWays(pair, chosen) }}</small>
            </td>
            <td class="num">{{ two(pair.strength) }}</td>
            <td class="num">{{ two(pair.pearson) }}</td>
            <td class="num">{{ two(pair.spearman) }}</td>
          </tr>
        </tbody>
      </table>
      <p class="soft note">
        Two numbers: the greater of Pearson's r and Spearman's ρ. A category and a number: correlation ratio.
        Two categories: Cramér's V, its bias corrected (Bergsma 2013). Missing together: the correlation of
        being missing. Where two categories tell each other unequally much, both directions stand under the
        bar: the part of the uncertainty about the other that is gone, there and back (Theil 1970).
      </p>
    </template>
    <h3><label for="target">Predictors of</label></h3>
    <select id="target" class="field mono" :value="target" @change="say('target', typed($event))">
      <option value="">choose a target column</option>
      <option v-for="column in profile.columns" :key="column.name">{{ column.name }}</option>
    </select>
    <template v-if="target && relations.data.value">
      <table class="lines">
        <thead>
          <tr>
            <th>Column alone</th>
            <th></th>
            <th class="num">strength</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="item in foretold.slice(0, 40)" :key="item.name">
            <td class="name">
              <RouterLink :to="look(target, item.name)" :title="`${item.name}: look at both`">{{
                item.name
              }}</RouterLink>
            </td>
            <td class="track"><u :style="{ width: `${100 * (item.skill ?? 0)}%` }"></u></td>
            <td class="num">{{ two(item.skill) }}</td>
          </tr>
        </tbody>
      </table>
      <p class="soft note">
        Predictive strength: the part of the squared error of a naive forecast that a small decision tree on
        this column alone removes, on records it was not fitted to (Murphy 1988; for categories Brier 1950). 1
        may be a leak.
      </p>
    </template>
  </aside>
</template>

<style scoped>
.track small {
  font-size: 11px;
  white-space: nowrap;
}
.pick {
  width: auto;
  font-family: var(--sans);
}
.key {
  padding: 0 0 8px;
}
svg {
  display: block;
  cursor: crosshair;
}
rect {
  fill: var(--ink);
}
rect.hollow {
  fill: none;
  stroke: var(--ink);
  stroke-width: 1;
}
rect.band {
  fill: var(--wash);
}
text {
  fill: var(--soft);
  font: 10.5px var(--mono);
  text-anchor: end;
}
text.on {
  fill: var(--ink);
  font-weight: 650;
}
.out {
  max-width: 800px;
  padding: 10px 0 20px;
}
h2 {
  font: 600 15px var(--mono);
  overflow-wrap: anywhere;
}
h3 {
  margin: 16px 0 4px;
  border-top: 1px solid var(--ink);
  padding-top: 8px;
  font-size: 13px;
  font-weight: 650;
}
.now {
  min-height: 34px;
  overflow-wrap: anywhere;
}
.name {
  max-width: 150px;
  overflow: hidden;
  font: 12px var(--mono);
  text-overflow: ellipsis;
  white-space: nowrap;
}
.track {
  width: 70px;
}
u {
  display: block;
  height: 7px;
  min-width: 1px;
  background: var(--bar2);
}
tr.on td {
  background: var(--wash);
}
.note {
  margin-top: 8px;
  font-size: 12px;
}
</style>
