<script setup lang="ts">
/** What stands on a day of the calendar, told by its shape alone: nothing here has a colour of its own. */
import type { Entry } from '../logic/calendar'

defineProps<{ sort: Entry['sort'] }>()
</script>

<template>
  <svg width="13" height="13" viewBox="0 0 13 13" aria-hidden="true">
    <rect v-if="sort === 'came'" x="2.5" y="2.5" width="8" height="8" class="full" />
    <template v-else-if="sort === 'late'">
      <rect x="2.5" y="2.5" width="8" height="8" class="edge" />
      <path d="M6.5 2.5h4v8h-4z" class="full" />
    </template>
    <path v-else-if="sort === 'again'" d="M1 4h6v6h-6zM8.5 4h3.5v6h-3.5z" class="full" />
    <path v-else-if="sort === 'missing'" d="M2.5 2.5l8 8M10.5 2.5l-8 8" class="cross" />
    <circle v-else cx="6.5" cy="6.5" r="2.6" class="faint" />
  </svg>
</template>

<style scoped>
.full {
  fill: var(--ink);
}
.edge {
  fill: none;
  stroke: var(--ink);
}
.cross {
  stroke: var(--ink);
  stroke-width: 2.4;
}
.faint {
  fill: none;
  stroke: var(--soft);
}
</style>
