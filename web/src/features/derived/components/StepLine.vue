<script setup lang="ts">
/** One step of a plan: what it does, how many records there are after it, and what can be done to it. */
import type { Schemas } from '@/api/client'
import { count, SentenceText } from '@/shared'

defineProps<{
  number: number
  title: string
  sentence: Schemas['Part'][] | undefined
  records: number | undefined
  problem: string
  isOpen: boolean
  isLast: boolean
  mayWork: boolean
}>()
defineEmits<{ open: []; move: [by: number]; remove: [] }>()
</script>

<template>
  <li :class="{ open: isOpen }">
    <div class="line">
      <span class="num">{{ number }}</span>
      <button type="button" class="what" :aria-expanded="isOpen" @click="$emit('open')">
        <SentenceText v-if="sentence" :parts="sentence" />
        <template v-else>{{ title }}</template>
      </button>
      <span class="num" :title="records === undefined ? '' : 'Records after this step'">{{
        records === undefined ? '' : count(records)
      }}</span>
    </div>
    <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
    <slot />
    <p v-if="isOpen && mayWork" class="acts">
      <button type="button" class="link" :disabled="number === 1" @click="$emit('move', -1)">Move up</button>
      <button type="button" class="link" :disabled="isLast" @click="$emit('move', 1)">Move down</button>
      <button type="button" class="link" @click="$emit('remove')">Remove</button>
    </p>
  </li>
</template>

<style scoped>
li {
  border-bottom: 1px solid var(--hair2);
  padding: 5px 0 5px 6px;
}
li.open {
  background: var(--wash);
  box-shadow: inset 3px 0 0 var(--ink);
}
.line {
  display: grid;
  grid-template-columns: 20px minmax(0, 1fr) auto;
  gap: 8px;
  align-items: baseline;
  padding-right: 6px;
}
.what {
  border: 0;
  padding: 0;
  background: none;
  color: var(--ink);
  font: inherit;
  text-align: left;
  cursor: pointer;
}
.what:hover {
  text-decoration: underline;
  text-decoration-color: var(--faint);
  text-underline-offset: 3px;
}
.problem {
  padding-left: 28px;
  font-weight: 550;
}
.acts {
  display: flex;
  gap: 16px;
  padding: 0 0 3px 28px;
}
.acts :disabled {
  color: var(--soft);
  cursor: default;
}
</style>
