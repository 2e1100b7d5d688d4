<script setup lang="ts">
/** A stored rule that cannot be used any more: what is stored, and the way to be rid of it. */
import type { Schemas } from '@/api/client'
import { SentenceText } from '@/shared'

defineProps<{ rule: Schemas['RuleOut']; mayWork: boolean; saving: boolean }>()
const emit = defineEmits<{ remove: [] }>()
</script>

<template>
  <div>
    <h2>{{ rule.number }}. <SentenceText :parts="rule.sentence" /></h2>
    <p class="soft">
      It stays as it was stored and does nothing. A release waits until it is repaired or removed. This is
      what is stored:
    </p>
    <pre class="mono">{{ JSON.stringify((rule.rule as { stored?: unknown }).stored, null, 2) }}</pre>
    <button v-if="mayWork" type="button" class="btn" :disabled="saving" @click="emit('remove')">
      Remove
    </button>
  </div>
</template>

<style scoped>
h2 {
  margin-bottom: 2px;
  font-size: 14px;
}
pre {
  overflow: auto;
  font-size: 12.5px;
  white-space: pre-wrap;
}
</style>
