<script setup lang="ts">
/** A text to be copied, whole, with the button that does. */
import { ref, watch } from 'vue'

const props = defineProps<{ text: string; label: string }>()
const copied = ref(false)
watch(
  () => props.text,
  () => (copied.value = false),
)
async function copy(): Promise<void> {
  await navigator.clipboard?.writeText(props.text)
  copied.value = true
}
</script>

<template>
  <div class="copy">
    <pre>{{ text }}</pre>
    <button type="button" class="link" :aria-label="`Copy ${label}`" @click="copy">
      {{ copied ? 'copied' : 'Copy' }}
    </button>
  </div>
</template>

<style scoped>
.copy {
  display: flex;
  gap: 14px;
  align-items: baseline;
}
pre {
  margin: 2px 0;
  font: 12.5px/1.5 var(--mono);
  white-space: pre-wrap;
  overflow-wrap: anywhere;
}
</style>
