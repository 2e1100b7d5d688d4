<script setup lang="ts">
/** Records that were added, are gone or changed: whole, or what changed in them with the values then and now. */
import type { Schemas } from '@/api/client'
import { count, DataValue } from '@/shared'
import { computed } from 'vue'
import type { Kind } from '../logic/changes'

const props = defineProps<{
  records: Schemas['ChangedRecord'][]
  changes: Schemas['ChangesOut']
  kind: Kind
  column: string
}>()
/** Of the side that has the record. */
const side = computed(() => (props.kind === 'gone' ? props.changes.before : props.changes.after))
const numberOf = (record: Schemas['ChangedRecord']) => (props.kind === 'gone' ? record.before : record.after)
const valuesOf = (record: Schemas['ChangedRecord']) =>
  (props.kind === 'gone' ? record.values_before : record.values_after) ?? {}
const others = computed(() =>
  Object.keys(props.records[0] ? valuesOf(props.records[0]) : {}).filter(
    (name) => !props.changes.key.includes(name),
  ),
)
const isNumber = (name: string) =>
  ['whole number', 'decimal', 'exact decimal'].includes(props.changes.types[name] ?? '')
/** The chosen column first: it is what was asked for. */
const changed = (record: Schemas['ChangedRecord']) =>
  [...record.columns].sort((a, b) => Number(b === props.column) - Number(a === props.column))
</script>

<template>
  <div class="scroll" tabindex="0" role="region" aria-label="Records">
    <table class="lines">
      <thead>
        <tr>
          <th v-if="kind === 'changed'" class="num">Record then</th>
          <th class="num">{{ kind === 'changed' ? 'Now' : 'Record' }}</th>
          <th v-for="name in changes.key" :key="name">{{ name }}</th>
          <th v-if="kind === 'changed'">What changed</th>
          <th v-for="name in kind === 'changed' ? [] : others" :key="name" :class="{ num: isNumber(name) }">
            {{ name }}
          </th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="record in records" :key="`${record.before} ${record.after}`">
          <td v-if="kind === 'changed'" class="num">
            <RouterLink
              :to="{ name: 'record', params: { id: changes.before.delivery, record: record.before ?? 0 } }"
              >{{ count(record.before ?? 0) }}</RouterLink
            >
          </td>
          <td class="num">
            <RouterLink
              :to="{ name: 'record', params: { id: side.delivery, record: numberOf(record) ?? 0 } }"
              >{{ count(numberOf(record) ?? 0) }}</RouterLink
            >
          </td>
          <td v-for="name in changes.key" :key="name"><DataValue :value="valuesOf(record)[name]" /></td>
          <td v-if="kind === 'changed'" class="what">
            <span v-for="name in changed(record)" :key="name" class="one"
              ><span class="soft">{{ name }}</span> <DataValue :value="record.values_before?.[name]" />
              <span class="soft" aria-label="is now"> → </span>
              <DataValue :value="record.values_after?.[name]"
            /></span>
          </td>
          <td v-for="name in kind === 'changed' ? [] : others" :key="name" :class="{ num: isNumber(name) }">
            <DataValue :value="valuesOf(record)[name]" />
          </td>
        </tr>
      </tbody>
    </table>
  </div>
</template>

<style scoped>
.scroll {
  overflow: auto;
  max-height: calc(100vh - 190px);
}
thead th {
  position: sticky;
  top: 0;
  background: var(--paper);
}
th.num:first-child,
th.num:nth-child(2) {
  width: 90px;
}
.one {
  display: inline-block;
  margin-right: 22px;
}
</style>
