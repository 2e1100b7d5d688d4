<script setup lang="ts">
/** The frame of an entry's form: its name, what it is for, how to keep it. */
import { StateNote } from '@/shared'

defineProps<{ title: string; fixed: boolean; error: unknown; saving: boolean; mayWork: boolean }>()
const name = defineModel<string>('name', { required: true })
const about = defineModel<string>('about', { required: true })
defineEmits<{ keep: [] }>()
</script>

<template>
  <form class="entry" @submit.prevent="$emit('keep')">
    <h2>{{ title }}</h2>
    <div class="form">
      <label for="entry-name">Name</label>
      <input id="entry-name" v-model="name" class="field" :readonly="fixed" required />
      <slot></slot>
      <label for="entry-about">What it is for</label>
      <input id="entry-about" v-model="about" class="field words" :disabled="!mayWork" />
    </div>
    <slot name="below"></slot>
    <StateNote :error="error as Error" />
    <button v-if="mayWork" class="btn main" :disabled="saving">Save</button>
  </form>
</template>

<style scoped>
h2 {
  font-size: 14px;
}
.form {
  display: grid;
  grid-template-columns: 128px minmax(0, 1fr);
  gap: 8px 10px;
  align-items: baseline;
  margin: 10px 0;
}
.form :deep(label) {
  color: var(--soft);
}
.words {
  font-family: var(--sans);
  font-size: 13px;
}
.btn {
  margin-top: 8px;
}
</style>
