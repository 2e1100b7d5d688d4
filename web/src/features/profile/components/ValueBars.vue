<script setup lang="ts">
/** Values with a bar each for their cells; a count with a door opens them. */
import { count, DataValue } from '@/shared'
import { computed } from 'vue'
import type { RouteLocationRaw } from 'vue-router'

export interface ValueRow {
  value: string
  count: number
  note?: string
  to?: RouteLocationRaw
}
const props = defineProps<{ rows: ValueRow[]; plain?: boolean }>()
const most = computed(() => Math.max(1, ...props.rows.map((row) => row.count)))
</script>

<template>
  <table class="lines values">
    <tbody>
      <tr v-for="row in rows" :key="row.value">
        <td class="value" :title="row.value">
          <span v-if="plain" class="mono">{{ row.value }}</span><DataValue v-else :value="row.value" />
          <span v-if="row.note" class="mono soft">{{ row.note }}</span>
        </td>
        <td class="track"><u :style="{ width: `${(100 * row.count) / most}%` }"></u></td>
        <td class="num">
          <RouterLink v-if="row.to" class="door" :to="row.to">{{ count(row.count) }}</RouterLink>
          <template v-else>{{ count(row.count) }}</template>
        </td>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
.values td {
  height: 20px;
  border: 0;
  padding: 0 6px 0 0;
}
.value {
  max-width: 170px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.track {
  width: 110px;
}
u {
  display: block;
  height: 8px;
  min-width: 1px;
  background: var(--bar2);
}
</style>
