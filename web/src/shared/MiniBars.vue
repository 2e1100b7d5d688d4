<script setup lang="ts">
/** A distribution drawn small; bars of what lies far beyond the body are lighter. */
import { computed } from 'vue'

const props = defineProps<{ counts: number[]; outer?: boolean[]; width?: number; height?: number }>()
const w = computed(() => props.width ?? 74)
const h = computed(() => props.height ?? 22)
const path = computed(() => drawn(false))
const beyond = computed(() => (props.outer?.some(Boolean) ? drawn(true) : ''))
function drawn(outer: boolean): string {
  const most = Math.max(1, ...props.counts)
  const step = Math.min(w.value / Math.max(1, props.counts.length), 12)
  return props.counts
    .map((n, i) => {
      if ((props.outer?.[i] ?? false) !== outer) return ''
      const height = n ? Math.max(1, (n / most) * (h.value - 2)) : 0.6
      return `M${(i * step).toFixed(1)} ${h.value}v${-height.toFixed(1)}h${(step - 1).toFixed(1)}v${height.toFixed(1)}z`
    })
    .join('')
}
</script>

<template>
  <svg :width="w" :height="h" aria-hidden="true">
    <path :d="path" fill="var(--bar)" />
    <path v-if="beyond" :d="beyond" fill="var(--bar2)" />
  </svg>
</template>
