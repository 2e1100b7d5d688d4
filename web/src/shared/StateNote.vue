<script setup lang="ts">
/** What stands where there is nothing to show yet: loading, empty, or an error with what can be done. */
import { Problem } from '@/api/client'
import { computed } from 'vue'

const props = defineProps<{ loading?: boolean; error?: unknown; empty?: string }>()
const problem = computed(() =>
  props.error instanceof Problem
    ? props.error
    : props.error
      ? new Problem(0, 'It failed', String(props.error))
      : null,
)
</script>

<template>
  <div v-if="problem" class="note" role="alert">
    <b>{{ problem.title }}</b>
    <p>{{ problem.detail }} {{ problem.advice }}</p>
    <slot name="error" />
  </div>
  <p v-else-if="loading" class="note soft" role="status">Loading …</p>
  <div v-else-if="empty" class="note soft">
    <p>{{ empty }}</p>
    <slot />
  </div>
</template>

<style scoped>
.note {
  max-width: 62ch;
  padding: 18px 0;
}
.note b {
  display: block;
  margin-bottom: 3px;
}
</style>
