<script setup lang="ts">
/**
 * A field that says what was typed when it is left (`live`: at every key). Until then it shows what is typed, whatever is drawn anew around
 * it: no answer of the server takes a half-written text away. Esc takes back what is not set yet.
 */
import { ref } from 'vue'

const props = defineProps<{ value: unknown; live?: boolean }>()
const emit = defineEmits<{ said: [text: string] }>()
const typed = ref<string | null>(null)

function type(event: Event): void {
  typed.value = (event.target as HTMLInputElement).value
  if (props.live) emit('said', typed.value)
}
function say(): void {
  const text = typed.value
  typed.value = null
  if (!props.live && text !== null && text !== String(props.value ?? '')) emit('said', text)
}
function takeBack(event: KeyboardEvent): void {
  if (typed.value === null || props.live) return
  event.stopPropagation()
  typed.value = null
}
</script>

<template>
  <input
    :value="typed ?? String(value ?? '')"
    @input="type"
    @change="say"
    @blur="say"
    @keydown.esc="takeBack"
  />
</template>
