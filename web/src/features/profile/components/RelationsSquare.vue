<script setup lang="ts">
/** The strengths of all pairs as a square of squares; under the mouse a pair, a click keeps it. */
import { computed } from 'vue'
import { isFalling, type Pair } from '../logic/relations'

const props = defineProps<{
  cells: (Pair | undefined)[][]
  names: string[]
  shown: number[] // places of columns, in the order of the square
  chosen: number
  other: number // below 0: only one column is chosen
}>()
const emit = defineEmits<{ choose: [row: number, column: number] }>()
const hover = defineModel<[number, number] | undefined>('hover')
const LEFT = 148
const size = computed(() => Math.max(7, Math.min(24, Math.floor(590 / Math.max(1, props.shown.length)))))
const line = computed(() => Math.max(12, size.value))
/** The strength is the side of a filled square; a correlation below zero is drawn hollow. */
const marks = computed(() =>
  props.shown.flatMap((row, y) =>
    props.shown.flatMap((column, x) => {
      const pair = props.cells[row]![column]
      const side = pair ? Math.max(1, pair.strength * (size.value - 1)) : 0
      if (!pair || pair.strength < 0.05) return []
      return [
        {
          key: `${row} ${column}`,
          x: LEFT + x * size.value + (size.value - side) / 2,
          y: y * line.value + (line.value - side) / 2,
          side,
          hollow: isFalling(pair),
        },
      ]
    }),
  ),
)
function at(event: MouseEvent): [number, number] | undefined {
  const box = (event.currentTarget as Element).getBoundingClientRect()
  const x = Math.floor((event.clientX - box.left - LEFT) / size.value)
  const y = Math.floor((event.clientY - box.top) / line.value)
  const [row, column] = [props.shown[y], props.shown[x]]
  return row === undefined ? undefined : [row, column ?? row]
}
function press(event: MouseEvent): void {
  const place = at(event)
  if (place) emit('choose', ...place)
}
</script>

<template>
  <svg
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
</template>

<style scoped>
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
</style>
