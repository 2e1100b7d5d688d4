<script setup lang="ts">
/** A histogram with axes; each bar is a door to its records. Bars of what lies far beyond the body stand apart. Dragging over
 * bars chooses the range from the first to the last one. */
import type { Schemas } from '@/api/client'
import { count } from '@/shared'
import { computed, ref } from 'vue'
import type { RouteLocationRaw } from 'vue-router'
import { short, tickOf } from '../logic/bars'

type Bin = Schemas['Bin']
const props = defineProps<{
  distribution: Schemas['Distribution']
  door: (bar: Bin, isLast: boolean) => RouteLocationRaw
}>()
const emit = defineEmits<{ range: [low: string, high: string] }>()
const dragged = ref<[number, number] | null>(null)
const isDragged = (at: number) => {
  const [from, to] = dragged.value ?? [0, 0]
  return from !== to && Math.min(from, to) <= at && at <= Math.max(from, to)
}
function over(at: number, event: PointerEvent): void {
  if (dragged.value && event.buttons) dragged.value = [dragged.value[0], at]
}
function release(): void {
  const [from, to] = dragged.value ?? [0, 0]
  dragged.value = null
  const [first, last] = [body.value[Math.min(from, to)], body.value[Math.max(from, to)]]
  if (from !== to && first && last) emit('range', written(first.low), written(last.high))
}
const body = computed(() => props.distribution.bins.filter((bin) => !bin.outer))
const before = computed(() => props.distribution.bins.find((bin, i) => bin.outer && i === 0))
const behind = computed(() => props.distribution.bins.find((bin, i) => bin.outer && i > 0))
const most = computed(() => Math.max(1, ...props.distribution.bins.map((bin) => bin.count)))
const tick = computed(() => tickOf(most.value))
const ticks = computed(() =>
  Array.from({ length: Math.floor(most.value / tick.value) }, (_, i) => (i + 1) * tick.value),
)
const height = (bin: Bin) => `${bin.count ? Math.max(2, (100 * bin.count) / most.value) : 0}%`
const isDates = computed(() => props.distribution.of === 'dates')
const written = (text: string) => (isDates.value ? text : short(text))
const words = (bin: Bin) =>
  `${bin.low === bin.high ? bin.low : `${written(bin.low)} to ${written(bin.high)}`}: ${count(bin.count)}`
const ends = computed(() => [written(body.value[0]?.low ?? ''), written(body.value.at(-1)?.high ?? '')])
const middle = computed(() => written(body.value[Math.floor(body.value.length / 2)]?.low ?? ''))
const label = computed(
  () => `Histogram of ${props.distribution.of} from ${ends.value[0]} to ${ends.value[1]}`,
)
</script>

<template>
  <div class="chart" role="group" :aria-label="label">
    <div class="scale mono soft" aria-hidden="true">
      <span v-for="at in ticks" :key="at" :style="{ bottom: `${(100 * at) / most}%` }">{{ count(at) }}</span>
    </div>
    <div class="plot" @pointerup="release" @pointerleave="dragged = null" @dragstart.prevent>
      <s v-for="at in ticks" :key="at" :style="{ bottom: `${(100 * at) / most}%` }"></s>
      <RouterLink
        v-if="before"
        class="bar outer"
        :to="door(before, false)"
        :title="`below: ${words(before)}`"
        :aria-label="`below: ${words(before)}`"
        ><i :style="{ height: height(before) }"></i
      ></RouterLink>
      <RouterLink
        v-for="(bin, i) in body"
        :key="bin.low"
        class="bar"
        :class="{ none: !bin.count, chosen: isDragged(i) }"
        draggable="false"
        :to="door(bin, i === body.length - 1)"
        :title="words(bin)"
        :aria-label="words(bin)"
        :tabindex="bin.count ? 0 : -1"
        @pointerdown="dragged = [i, i]"
        @pointerenter="over(i, $event)"
        ><i :style="{ height: height(bin) }"></i
      ></RouterLink>
      <RouterLink
        v-if="behind"
        class="bar outer last"
        :to="door(behind, true)"
        :title="`above: ${words(behind)}`"
        :aria-label="`above: ${words(behind)}`"
        ><i :style="{ height: height(behind) }"></i
      ></RouterLink>
    </div>
    <div class="ends mono soft" :class="{ inset: before, outset: behind }">
      <span>{{ ends[0] }}</span><span v-if="body.length > 3 && middle !== ends[0]">{{ middle }}</span
      ><span>{{ ends[1] }}</span>
    </div>
    <p v-if="before || behind" class="beyond soft">
      <RouterLink v-if="before" class="door" :to="door(before, false)"
        >{{ count(before.count) }} below, from {{ written(before.low) }}</RouterLink
      >
      <RouterLink v-if="behind" class="door" :to="door(behind, true)"
        >{{ count(behind.count) }} above, to {{ written(behind.high) }}</RouterLink
      >
    </p>
  </div>
</template>

<style scoped>
.chart {
  display: grid;
  grid-template-columns: auto 1fr;
  gap: 0 5px;
}
.scale {
  position: relative;
  min-width: 34px;
  font-size: 11px;
}
.scale span {
  position: absolute;
  right: 0;
  transform: translateY(50%);
}
.plot {
  position: relative;
  display: flex;
  align-items: stretch;
  height: 72px;
  border-bottom: 1px solid var(--ink);
}
s {
  position: absolute;
  right: 0;
  left: 0;
  border-top: 1px solid var(--hair2);
}
.bar {
  position: relative;
  display: flex;
  flex: 1;
  align-items: end;
  padding-right: 1px;
}
.bar.none {
  cursor: default;
}
.bar.chosen {
  background: var(--hair2);
}
.bar.chosen i {
  background: var(--press);
}
i {
  flex: 1;
  background: var(--bar);
}
.bar:hover i,
.bar:focus-visible i {
  background: var(--press);
}
.outer {
  flex: 1.4;
  margin-right: 9px;
}
.outer.last {
  margin: 0 0 0 9px;
}
.outer i {
  background: repeating-linear-gradient(135deg, var(--bar) 0 2px, transparent 2px 4px);
}
.ends {
  grid-column: 2;
  display: flex;
  justify-content: space-between;
  font-size: 11px;
}
.ends.inset {
  padding-left: 24px;
}
.ends.outset {
  padding-right: 24px;
}
.beyond {
  grid-column: 2;
  display: flex;
  justify-content: space-between;
  font-size: 12px;
}
</style>
