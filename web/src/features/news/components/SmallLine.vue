<script setup lang="ts">
/** A measure over many deliveries drawn small; what was new then is a ring, a gap where a delivery has none. */
import { computed } from 'vue'
import { smallLine } from '../logic/measure'

const props = defineProps<{ values: (number | null)[]; fresh: boolean[]; width: number; height: number }>()
const shape = computed(() => smallLine(props.values, props.width, props.height))
</script>

<template>
  <svg
    :viewBox="`-4 -4 ${width + 8} ${height + 8}`"
    :width="width + 8"
    :height="height + 8"
    aria-hidden="true"
  >
    <path :d="shape.line" />
    <template v-for="(dot, place) in shape.dots" :key="place">
      <circle v-if="dot && fresh[place]" :cx="dot.x" :cy="dot.y" r="3" />
    </template>
  </svg>
</template>

<style scoped>
svg {
  display: block;
}
path {
  fill: none;
  stroke: var(--bar);
  stroke-width: 1.2;
}
circle {
  fill: var(--paper);
  stroke: var(--ink);
  stroke-width: 1.6;
}
</style>
