<script setup lang="ts">
/** The cases behind the filter: key, origin, reasons, since when, with whom. */
import type { Schemas } from '@/api/client'
import { count, DataValue, day, keepInSight } from '@/shared'
import { useTemplateRef } from 'vue'

const props = defineProps<{
  page: Schemas['HeldPage']
  chosen: number | undefined
  marked: Set<number>
  mayDecide: boolean
}>()
const emit = defineEmits<{ choose: [row: Schemas['HeldOut']]; mark: [record: number]; markAll: [] }>()
const table = useTemplateRef<HTMLElement>('table')
keepInSight(table, () => props.chosen)
const isAllMarked = () => props.page.rows.every((row) => props.marked.has(row.record))
</script>

<template>
  <table ref="table" class="lines">
    <thead>
      <tr>
        <th v-if="mayDecide" class="box">
          <input
            type="checkbox"
            aria-label="mark all on this page"
            :checked="isAllMarked()"
            @change="emit('markAll')"
          />
        </th>
        <th class="num">Record</th>
        <th v-if="page.key.length" :title="page.key.join(', ')">Key</th>
        <th>File, line</th>
        <th>Why it is quarantined</th>
        <th>Since, owner</th>
      </tr>
    </thead>
    <tbody>
      <tr
        v-for="row in page.rows"
        :key="row.record"
        :class="{ on: row.record === chosen }"
        @click="emit('choose', row)"
      >
        <td v-if="mayDecide" class="box">
          <input
            type="checkbox"
            :aria-label="`mark record ${row.record}`"
            :checked="marked.has(row.record)"
            @click.stop
            @change="emit('mark', row.record)"
          />
        </td>
        <td class="num">
          <button
            type="button"
            class="record"
            :aria-pressed="row.record === chosen"
            @click.stop="emit('choose', row)"
          >
            {{ count(row.record) }}
          </button>
        </td>
        <td v-if="page.key.length" class="mono">
          <span v-for="(name, at) in page.key" :key="name" class="reason" :title="name"
            ><DataValue :value="row.key[at]"
          /></span>
        </td>
        <td class="mono soft origin">
          <span class="file" :title="page.files[row.file]">{{
            page.files[row.file] ?? 'made by a rule'
          }}</span>
          <span v-if="row.line > 0" class="reason">{{ count(row.line) }}</span>
        </td>
        <td>
          <span v-for="(reason, i) in row.reasons" :key="i" class="reason"
            ><em>{{ reason.name }}</em> <DataValue :value="reason.value" /> {{ reason.phrase }}</span
          >
          <span v-if="row.settled_by" class="soft"
            >ready as record {{ count(row.there ?? 0) }} of delivery {{ row.settled_by }}</span
          >
          <span v-if="row.again_in" class="soft"
            >waits as record {{ count(row.there ?? 0) }} of delivery {{ row.again_in }}</span
          >
        </td>
        <td class="soft since">
          {{ row.since ? day(row.since) : '' }}
          <span v-if="row.owner" class="reason">{{ row.owner }}</span>
          <span v-if="row.with_supplier" class="reason">with the supplier</span>
          <span v-if="row.due" class="reason">until {{ row.due }}</span>
        </td>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
em {
  font: 550 12.5px var(--mono);
}
tr {
  cursor: pointer;
}
tr.on td {
  background: var(--wash);
}
tr.on td:first-child {
  box-shadow: inset 3px 0 0 var(--ink);
}
.box {
  width: 26px;
  padding-left: 8px !important;
}
.record {
  border: 0;
  padding: 0;
  background: none;
  color: var(--ink);
  font: inherit;
  cursor: pointer;
}
.origin,
.since {
  white-space: nowrap;
}
.file {
  display: inline-block;
  max-width: 96px;
  overflow: hidden;
  text-overflow: ellipsis;
  vertical-align: bottom;
}
.reason {
  display: block;
}
</style>
