<script setup lang="ts">
/** The reconciliation drawn to scale. Small parts keep a width that can be seen. */
import type { Schemas } from '@/api/client'
import { computed } from 'vue'
import { count } from './format'
import { labelOf, PARTS } from './parts'

const props = defineProps<{ balance: Schemas['Balance']; height?: number; max?: number }>()
const parts = computed(() => PARTS.filter((part) => props.balance[part.name] > 0))
const label = computed(
  () =>
    `${count(props.balance.delivered)} delivered: ` +
    parts.value
      .map((part) => `${count(props.balance[part.name])} ${labelOf(part, props.balance[part.name])}`)
      .join(', '),
)
const width = computed(() =>
  props.max ? `${Math.max(8, (100 * props.balance.delivered) / props.max)}%` : '100%',
)
</script>

<template>
  <div
    class="bar"
    role="img"
    :aria-label="label"
    :title="label"
    :style="{ height: `${height ?? 13}px`, width }"
  >
    <b
      v-for="part in parts"
      :key="part.name"
      :class="`part-${part.name}`"
      :style="{ flexGrow: balance[part.name] }"
    ></b>
    <b v-if="!parts.length" class="none"></b>
  </div>
</template>

<style scoped>
.bar {
  display: flex;
  gap: 2px;
}
b {
  flex-basis: 0;
  height: 100%;
  min-width: 4px;
  transition: flex-grow 0.3s;
}
.none {
  flex-grow: 1;
  background: var(--hair);
}
</style>
