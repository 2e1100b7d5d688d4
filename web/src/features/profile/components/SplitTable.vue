<script setup lang="ts">
/** A column by the values of another: for each of them how many cells lie where, and which share of its own that is. */
import { useAddress } from '@/app/address'
import type { Schemas } from '@/api/client'
import { recordsLink } from '@/features/records'
import { count, plural, StateNote } from '@/shared'
import { computed, toRef } from 'vue'
import { useRoute } from 'vue-router'
import { ROWS, splitting, useSplit } from '../logic/splitBy'

const props = defineProps<{
  id: number
  column: Schemas['ColumnProfile']
  columns: Schemas['ColumnProfile'][]
}>()
const route = useRoute()
const { query, ask } = useAddress()
const choices = computed(() => splitting(props.columns, props.column.name))
const by = computed(() => {
  const asked = String(query.value.by ?? '')
  return choices.value.some((choice) => choice.name === asked) ? asked : ''
})
const { found, panel, levels, rows } = useSplit(toRef(props, 'id'), toRef(props, 'column'), by)
function choose(event: Event): void {
  ask({ by: (event.target as HTMLSelectElement).value || undefined })
}
const more = computed(() => {
  const shown = panel.value
  if (!shown || shown.of === 'numbers' || shown.of === 'dates') return 0
  return shown.more + Math.max(0, shown.bars.length - ROWS)
})
const percent = (share: number) => `${share > 0 && share < 0.01 ? '<1' : Math.round(share * 100)} %`
</script>

<template>
  <div v-if="choices.length" class="split">
    <p>
      <label for="split-sheet">By the values of</label>
      <select id="split-sheet" class="field mono" :value="by" @change="choose">
        <option value="">no column</option>
        <option v-for="choice in choices" :key="choice.name">{{ choice.name }}</option>
      </select>
    </p>
    <StateNote :error="found.error.value" />
    <table v-if="by && rows.length" class="lines">
      <thead>
        <tr>
          <th></th>
          <th v-for="(level, k) in levels" :key="k" class="num" :title="level.label">{{ level.label }}</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="row in rows" :key="row.label">
          <td class="label mono" :title="row.label">{{ row.label || 'missing' }}</td>
          <td v-for="(cell, k) in row.cells" :key="k" class="num">
            <RouterLink
              v-if="cell.count && row.filter && levels[k]?.filter"
              class="door"
              :to="recordsLink(route, null, [row.filter, levels[k].filter])"
              >{{ count(cell.count) }}</RouterLink
            >
            <template v-else>{{ count(cell.count) }}</template>
            <span class="soft share">{{ percent(cell.share) }}</span>
          </td>
        </tr>
      </tbody>
    </table>
    <p v-if="by && panel?.aside" class="soft">
      {{ plural(panel.aside, 'cell') }} missing, beyond this range or in another form
    </p>
    <p v-if="by && more" class="soft">and {{ count(more) }} more values</p>
  </div>
</template>

<style scoped>
.split {
  margin: 8px 0 2px;
}
.split p {
  display: flex;
  gap: 7px;
  align-items: baseline;
  margin: 0 0 4px;
  color: var(--soft);
}
select {
  max-width: 190px;
}
th,
td {
  height: 21px;
  padding: 1px 4px 1px 0;
}
th {
  max-width: 60px;
  overflow: hidden;
  text-overflow: ellipsis;
}
.label {
  max-width: 120px;
  min-width: 66px;
  font-size: 12px;
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
}
.share {
  display: block;
  font-size: 11px;
  line-height: 12px;
}
</style>
