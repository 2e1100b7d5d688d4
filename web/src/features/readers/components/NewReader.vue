<script setup lang="ts">
/** The form for a new reader; its password is shown once. */
import { api, unwrap, type Schemas } from '@/api/client'
import { StateNote } from '@/shared'
import { useMutation } from '@tanstack/vue-query'
import { ref } from 'vue'
import FeedChoice from './FeedChoice.vue'

defineProps<{ feeds: readonly Schemas['ReadableFeed'][] }>()
const emit = defineEmits<{ made: [name: string, reader: Schemas['ReaderMade']]; cancel: [] }>()
const name = ref('')
const chosen = ref<string[]>([])
const make = useMutation({
  mutationFn: () => unwrap(api.POST('/api/readers', { body: { name: name.value, feeds: chosen.value } })),
  onSuccess: (reader) => emit('made', name.value.trim(), reader),
})
</script>

<template>
  <form class="new" @submit.prevent="make.mutate()" @keydown.esc="emit('cancel')">
    <label for="reader-name">Name</label>
    <input id="reader-name" v-model="name" class="field" required maxlength="120" autocomplete="off" />
    <span class="soft">May read</span>
    <FeedChoice v-model="chosen" :feeds="feeds" />
    <span></span>
    <span class="acts">
      <button class="btn main" :disabled="make.isPending.value">Make reader</button>
      <button type="button" class="btn" @click="emit('cancel')">Cancel</button>
    </span>
    <StateNote :error="make.error.value" />
  </form>
</template>

<style scoped>
.new {
  display: grid;
  grid-template-columns: 110px minmax(0, 520px);
  gap: 8px 12px;
  align-items: baseline;
  margin: 4px 0 14px;
}
.new > label {
  color: var(--soft);
}
.acts {
  display: flex;
  gap: 12px;
}
</style>
