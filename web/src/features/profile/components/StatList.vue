<script setup lang="ts">
/** Measures in two columns; the name of each tells how it is defined. */
import { api, unwrap } from '@/api/client'
import { useQuery } from '@tanstack/vue-query'
import { ref } from 'vue'
import type { RouteLocationRaw } from 'vue-router'

defineProps<{ rows: { label: string; value: string; to?: RouteLocationRaw }[] }>()
const definitions = useQuery({
  queryKey: ['measures'],
  queryFn: () => unwrap(api.GET('/api/measures')),
  staleTime: Infinity,
})
const opened = ref('')
</script>

<template>
  <div>
    <dl>
      <template v-for="row in rows" :key="row.label">
        <dt>
          <button
            type="button"
            :aria-expanded="opened === row.label"
            :title="definitions.data.value?.[row.label]"
            @click="opened = opened === row.label ? '' : row.label"
          >
            {{ row.label }}
          </button>
        </dt>
        <dd>
          <RouterLink v-if="row.to" class="door" :to="row.to">{{ row.value }}</RouterLink>
          <template v-else>{{ row.value }}</template>
        </dd>
      </template>
    </dl>
    <p v-if="opened && rows.some((row) => row.label === opened)" class="definition" role="status">
      <b>{{ opened }}</b>: {{ definitions.data.value?.[opened] ?? 'not defined yet' }}
    </p>
  </div>
</template>

<style scoped>
dl {
  display: grid;
  grid-template-columns: auto 1fr auto 1fr;
  gap: 1px 12px;
  margin: 0;
}
button {
  border: 0;
  padding: 0;
  background: none;
  color: var(--soft);
  font: 12px var(--sans);
  text-align: left;
  white-space: nowrap;
  cursor: help;
}
button:hover,
button[aria-expanded='true'] {
  color: var(--press);
}
dd {
  margin: 0;
  font: 500 12px var(--mono);
  text-align: right;
}
dd .door {
  font: inherit;
}
.definition {
  margin: 5px 0 2px;
  border-left: 2px solid var(--ink);
  padding-left: 8px;
  font-size: 12px;
}
</style>
