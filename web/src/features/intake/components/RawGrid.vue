<script setup lang="ts">
/** The rows of a sheet, of a table of a page or of Parquet as they are, with the fate of each in the margin. */
import type { Schemas } from '@/api/client'
import { DataValue } from '@/shared'
import { computed } from 'vue'
import { letters } from '../logic/settings'

const props = defineProps<{ lines: Schemas['LineOut'][]; cells: string; unit: string }>()
const OUTCOMES: Record<string, string> = { preamble: 'before header', comment: 'outside', record: '' }
const width = computed(() => Math.max(...props.lines.map((line) => line.cells.length), 0))
const first = computed(() => {
  const letters = /^([A-Z]+)/.exec(props.cells)?.[1] ?? 'A'
  return [...letters].reduce((sum, letter) => sum * 26 + letter.charCodeAt(0) - 64, 0) - 1
})
</script>

<template>
  <table class="grid" aria-label="The beginning as it is">
    <thead>
      <tr>
        <th class="no"><span class="hidden-label">Row</span></th>
        <th class="outcome"><span class="hidden-label">Outcome</span></th>
        <th v-for="n in width" :key="n">{{ cells ? letters(first + n - 1) : n }}</th>
      </tr>
    </thead>
    <tbody>
      <tr
        v-for="line in lines"
        :key="line.line"
        :class="line.status.replace(' ', '-')"
        :data-line="line.line"
        :title="line.reason"
      >
        <td class="no">{{ line.line }}</td>
        <td class="outcome">{{ OUTCOMES[line.status] ?? line.status }}</td>
        <td v-for="(cell, i) in line.cells" :key="i" :title="cell ?? ''">
          <DataValue v-if="cell !== null && cell !== ''" :value="cell" />
        </td>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
.grid {
  border-collapse: collapse;
}
th {
  position: sticky;
  z-index: 1;
  top: 0;
  border-bottom: 1px solid var(--faint);
  padding: 0 8px;
  background: var(--paper);
  color: var(--soft);
  font: 11px/20px var(--mono);
  text-align: left;
}
td {
  max-width: 190px;
  height: 21px;
  border-right: 1px solid var(--hair2);
  border-bottom: 1px solid var(--hair2);
  padding: 0 8px;
  overflow: hidden;
  line-height: 20px;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.no {
  min-width: 40px;
  border-right: 0;
  padding-right: 0;
  color: var(--soft);
  font: 12px/20px var(--mono);
  text-align: right;
}
.outcome {
  min-width: 96px;
  color: var(--soft);
  font-size: 12px;
}
.header td {
  font-weight: 650;
}
.header td :deep(.value) {
  font-weight: 650;
}
.preamble td,
.comment td,
.repeated-header td,
.totals td {
  color: var(--soft);
}
.rejected td {
  background: var(--wash);
}
.rejected .outcome {
  color: var(--ink);
  font-weight: 650;
}
</style>
