<script setup lang="ts">
import { TypedInput } from '@/shared'
/** Columns chosen by what they are: a type, a role, a pattern of names. */
type By = { type?: string | null; role?: string | null; like?: string } | null
const by = defineModel<By>({ required: true })
defineProps<{ id: string; disabled: boolean }>()
const TYPES = ['text', 'whole number', 'decimal', 'exact decimal', 'date', 'date-time', 'true/false']
const ROLES = ['identifier', 'category', 'quantity', 'time', 'flag', 'free text']
function set(name: 'type' | 'role' | 'like', value: string): void {
  const next = {
    type: null,
    role: null,
    like: '',
    ...by.value,
    [name]: value || (name === 'like' ? '' : null),
  }
  by.value = next.type || next.role || next.like ? next : null
}
const text = (event: Event) => (event.target as HTMLInputElement).value
</script>

<template>
  <div class="by">
    <select
      :id="id"
      class="field words"
      aria-label="All columns of the type"
      :value="by?.type ?? ''"
      :disabled="disabled"
      @change="set('type', text($event))"
    >
      <option value="">any type</option>
      <option v-for="type in TYPES" :key="type" :value="type">{{ type }}</option>
    </select>
    <select
      class="field words"
      aria-label="All columns of the role"
      :value="by?.role ?? ''"
      :disabled="disabled"
      @change="set('role', text($event))"
    >
      <option value="">any role</option>
      <option v-for="role in ROLES" :key="role" :value="role">{{ role }}</option>
    </select>
    <TypedInput
      class="field"
      aria-label="All columns named like"
      placeholder="named like *_code"
      :value="by?.like ?? ''"
      :disabled="disabled"
      @said="set('like', $event)"
    />
  </div>
</template>

<style scoped>
.by {
  display: grid;
  grid-template-columns: 1fr 1fr 1fr;
  gap: 8px;
}
.words {
  font-family: var(--sans);
  font-size: 13px;
}
</style>
