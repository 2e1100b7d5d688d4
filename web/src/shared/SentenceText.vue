<script setup lang="ts">
/** A rule in words; column names and values stand out. */
import type { Schemas } from '@/api/client'

defineProps<{ parts: Schemas['Part'][] }>()
</script>

<template>
  <span
    ><template v-for="(part, i) in parts" :key="i"
      ><em v-if="part.data">{{ part.text }}</em
      ><template v-else>{{ part.text }}</template></template
    ></span
  >
</template>

<style scoped>
em {
  font: 550 12.5px var(--mono);
  overflow-wrap: anywhere;
}
</style>
