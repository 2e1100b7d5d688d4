<script setup lang="ts">
/** Bars of which a range is dragged; two fields say the same for the keyboard. */
import type { Schemas } from '@/api/client'
import { count } from '@/shared'
import { computed, ref } from 'vue'

const props = defineProps<{
  shown: Schemas['Shown']
  range: [string, string] | undefined
  levels: number
}>()
const emit = defineEmits<{ range: [range: [string, string] | undefined] }>()
const bars = computed(() => props.shown.bars)
const most = computed(() => Math.max(1, ...bars.value.map((bar) => bar.every)))
const tall = (n: number, of: number) => (n ? Math.max(1.5, (100 * n) / of) : 0)
const from = ref<number>()
const to = ref<number>()
const dragged = computed(() => {
  if (from.value === undefined || to.value === undefined) return undefined
  return [Math.min(from.value, to.value), Math.max(from.value, to.value)] as const
})
const chosen = computed(() => {
  if (dragged.value) return dragged.value
  if (!props.range) return undefined
  const low = bars.value.findIndex((bar) => bar.low === props.range![0])
  const high = bars.value.findIndex((bar) => bar.high === props.range![1])
  return low < 0 || high < 0 ? undefined : ([low, high] as const)
})
function place(event: PointerEvent): number {
  const box = (event.currentTarget as Element).getBoundingClientRect()
  const at = Math.floor(((event.clientX - box.left) / box.width) * bars.value.length)
  return Math.max(0, Math.min(bars.value.length - 1, at))
}
function down(event: PointerEvent): void {
  ;(event.currentTarget as Element).setPointerCapture(event.pointerId)
  from.value = to.value = place(event)
}
function move(event: PointerEvent): void {
  if (from.value !== undefined) to.value = place(event)
}
function up(): void {
  const range = dragged.value
  from.value = to.value = undefined
  if (range) choose(range[0], range[1])
}
function choose(low: number, high: number): void {
  const [first, last] = [bars.value[Math.min(low, high)], bars.value[Math.max(low, high)]]
  const all = low === 0 && high === bars.value.length - 1
  emit('range', all || !first || !last ? undefined : [first.low, last.high])
}
const number = (event: Event) => Number((event.target as HTMLSelectElement).value)
</script>

<template>
  <div>
    <div
      class="bars"
      @pointerdown.prevent="down"
      @pointermove="move"
      @pointerup="up"
      @pointercancel="from = to = undefined"
    >
      <i
        v-for="(bar, i) in bars"
        :key="bar.low"
        :class="{ off: chosen && (i < chosen[0] || i > chosen[1]) }"
        :title="`${bar.label}: ${count(bar.now)} of ${count(bar.every)}`"
      >
        <u class="every" :style="{ height: `${tall(bar.every, most)}%` }"></u>
        <span v-if="levels" class="levels" :style="{ height: `${tall(bar.now, most)}%` }">
          <u v-for="(n, k) in bar.levels" :key="k" :class="`level-${k}`" :style="{ flexGrow: n }"></u>
        </span>
        <u v-else class="now" :style="{ height: `${tall(bar.now, most)}%` }"></u>
      </i>
    </div>
    <div class="ends">
      <label class="hidden-label" :for="`from-${shown.name}`">{{ shown.name }} from</label>
      <select
        :id="`from-${shown.name}`"
        class="field"
        :value="chosen?.[0] ?? 0"
        @change="choose(number($event), Math.max(number($event), chosen?.[1] ?? bars.length - 1))"
      >
        <option v-for="(bar, i) in bars" :key="bar.low" :value="i">{{ bar.low }}</option>
      </select>
      <button v-if="range" type="button" class="link" @click="$emit('range', undefined)">all of it</button>
      <label class="hidden-label" :for="`to-${shown.name}`">{{ shown.name }} to</label>
      <select
        :id="`to-${shown.name}`"
        class="field to"
        :value="chosen?.[1] ?? bars.length - 1"
        @change="choose(Math.min(number($event), chosen?.[0] ?? 0), number($event))"
      >
        <option v-for="(bar, i) in bars" :key="bar.high" :value="i">{{ bar.high }}</option>
      </select>
    </div>
  </div>
</template>

<style scoped>
.bars {
  display: flex;
  gap: 1px;
  height: 116px;
  border-bottom: 1px solid var(--faint);
  cursor: ew-resize;
  touch-action: none;
  user-select: none;
}
i {
  position: relative;
  flex: 1;
}
i:hover {
  background: var(--wash);
}
i.off {
  opacity: 0.35;
}
.every,
.now,
.levels {
  position: absolute;
  bottom: 0;
  left: 0;
  right: 0;
}
.every {
  background: var(--hair);
}
.now {
  background: var(--bar);
}
.levels {
  display: flex;
  flex-direction: column-reverse;
}
.ends {
  display: flex;
  gap: 8px;
  align-items: baseline;
  justify-content: space-between;
  padding-top: 3px;
}
.ends .field {
  width: auto;
  max-width: 128px;
  font-size: 12px;
}
</style>
