<script setup lang="ts">
/** The views of the profile. */
import { count } from '@/shared'
import { computed } from 'vue'
import { useRoute } from 'vue-router'

const props = defineProps<{ view: string; columns: number; findings: number }>()
const route = useRoute()
const views = computed(() => [
  { view: 'register', label: 'Columns', note: count(props.columns) },
  { view: 'findings', label: 'Findings', note: props.findings ? count(props.findings) : '' },
  { view: 'variants', label: 'Variants', note: '' },
  { view: 'cross-filter', label: 'Cross-filter', note: '' },
  { view: 'relations', label: 'Relations', note: '' },
  { view: 'suitability', label: 'Suitability', note: '' },
  { view: 'compare', label: 'Compare', note: '' },
  { view: 'checks', label: 'Propose checks', note: '' },
  { view: 'report', label: 'Report', note: '' },
])
const to = (view: string) => ({
  query: {
    ...(route.query.column ? { column: route.query.column } : {}),
    ...(route.query.target ? { target: route.query.target } : {}),
    ...(view === 'register' ? {} : { view }),
  },
})
</script>

<template>
  <nav class="views" aria-label="Views of the profile">
    <RouterLink
      v-for="one in views"
      :key="one.view"
      :to="to(one.view)"
      :class="{ on: view === one.view }"
      :aria-current="view === one.view"
      >{{ one.label }} <small v-if="one.note" class="soft">{{ one.note }}</small></RouterLink
    >
  </nav>
</template>

<style scoped>
.views {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 18px;
  padding: 8px 20px 5px;
}
a {
  color: var(--press);
  white-space: nowrap;
}
a.on {
  box-shadow: 0 2px 0 var(--ink);
  color: var(--ink);
}
small {
  font-size: 12px;
}
</style>
