<script setup lang="ts">
/** The gates of a release with their evidence. */
import type { Schemas } from '@/api/client'

defineProps<{ gates: Schemas['GateOut'][] }>()
</script>

<template>
  <ul>
    <li v-for="gate in gates" :key="gate.name" :class="{ open: !gate.met }">
      <b>{{ gate.met ? 'met' : 'open' }}</b>
      <span
        >{{ gate.name }}<small class="soft">{{ gate.evidence }}</small></span
      >
    </li>
  </ul>
</template>

<style scoped>
ul {
  margin: 0 0 8px;
  padding: 0;
  list-style: none;
}
li {
  display: grid;
  grid-template-columns: 44px 1fr;
  border-bottom: 1px solid var(--hair2);
  padding: 6px 0;
}
li b {
  font-weight: 400;
  color: var(--soft);
}
li.open,
li.open b {
  color: var(--ink);
  font-weight: 650;
}
small {
  display: block;
  font-weight: 400;
}
</style>
