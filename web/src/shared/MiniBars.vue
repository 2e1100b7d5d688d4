<script setup lang="ts">
/** A distribution drawn small: one path. */
import { computed } from 'vue'

const props = defineProps<{ counts: number[]; width?: number; height?: number }>()
const w = computed(() => props.width ?? 74)
const h = computed(() => props.height ?? 22)
const path = computed(() => {
  const most = Math.max(1, ...props.counts)
  const step = Math.min(w.value / Math.max(1, props.counts.length), 12)
  return props.counts
    .map((n, i) => {
      const height = n ? Math.max(1, (n / most) * (h.value - 2)) : 0.6
      return `M${(i * step).toFixed(1)} ${h.value}v${-height.toFixed(1)}h${(step - 1).toFixed(1)}v${height.toFixed(1)}z`
    })
    .join('')
})
</script>

<template>
  <svg :width="w" :height="h" aria-hidden="true"><path :d="path" fill="var(--bar)" /></svg>
</template>
