<script setup lang="ts">
/** A code list as lines of "code = meaning". What is typed stays as it is typed. */
import { ref, watch } from 'vue'
import { codesAsText, codesFrom } from '../logic/fields'

type Codes = { code: string; meaning: string }[]
const codes = defineModel<Codes>({ required: true })
defineProps<{ id: string; disabled: boolean; hint: string }>()
const text = ref(codesAsText(codes.value))
watch(codes, (now) => {
  if (JSON.stringify(now) !== JSON.stringify(codesFrom(text.value))) text.value = codesAsText(now)
})
function typed(event: Event): void {
  text.value = (event.target as HTMLTextAreaElement).value
  codes.value = codesFrom(text.value)
}
</script>

<template>
  <textarea
    :id="id"
    class="field"
    rows="4"
    :placeholder="hint"
    :value="text"
    :disabled="disabled"
    @input="typed"
  ></textarea>
</template>
