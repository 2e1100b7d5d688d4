<script setup lang="ts">
/** A column at a place, and below it those that its values come from. */
import { inWords, type Branch } from '../logic/lineage'

defineProps<{ branch: Branch; names: Map<string, string> }>()
</script>

<template>
  <li>
    <span class="mono">{{ inWords(branch.place, names)[0] }}</span>
    <span class="soft">{{ ` ${inWords(branch.place, names)[1]}` }}</span>
    <ul v-if="branch.from.length">
      <TraceBranch v-for="(each, place) in branch.from" :key="place" :branch="each" :names="names" />
    </ul>
  </li>
</template>

<style scoped>
ul {
  margin: 0 0 0 3px;
  border-left: 1px solid var(--hair);
  padding: 0 0 0 14px;
  list-style: none;
}
li {
  padding: 1px 0;
  overflow-wrap: anywhere;
}
</style>
