<script setup lang="ts">
/** Records to give examples for: what stands in them, what is wanted, and what the way at hand gives. */
import { count, DataValue } from '@/shared'
import { computed, nextTick, useTemplateRef, watch } from 'vue'

type Cell = string | null
interface Shown {
  record: number
  cells: Cell[]
}
const props = defineProps<{
  columns: string[]
  records: Shown[]
  wanted: Record<number, Cell>
  gives: ((record: Shown) => Cell | undefined) | undefined
}>()
const emit = defineEmits<{ want: [record: number, result: Cell] }>()
const search = defineModel<string>('search', { required: true })
/** the record whose result is to be typed next */
const at = defineModel<number>('at')
const others = computed(() => props.records.filter(({ record }) => !props.wanted[record]))
const fields = useTemplateRef<HTMLInputElement[]>('fields')
watch(
  () => [at.value, props.records],
  async () => {
    const place = props.records.findIndex(({ record }) => record === at.value)
    if (place < 0) return
    at.value = undefined
    await nextTick()
    fields.value?.find((field) => field.dataset.record === String(props.records[place]?.record))?.focus()
  },
)
</script>

<template>
  <div class="search">
    <label for="example-search">Other records</label>
    <input
      id="example-search"
      v-model.trim="search"
      class="field"
      placeholder="a text in these columns, or a record's number"
      @keydown.enter.prevent
    />
  </div>
  <p v-if="search && !others.length" class="soft" role="status">No other record holds “{{ search }}”.</p>
  <table v-if="records.length" class="lines" aria-label="Examples">
    <thead>
      <tr>
        <th class="num">Record</th>
        <th v-for="name in columns" :key="name">{{ name }}</th>
        <th>Wanted</th>
        <th v-if="gives">Gives</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="row in records" :key="row.record">
        <td class="num">{{ count(row.record) }}</td>
        <td v-for="(cell, i) in row.cells" :key="i" class="value"><DataValue :value="cell" /></td>
        <td class="wanted">
          <input
            ref="fields"
            class="field"
            :data-record="row.record"
            :aria-label="`Wanted for record ${row.record}`"
            :value="wanted[row.record] ?? ''"
            :placeholder="wanted[row.record] === null ? 'no value' : ''"
            @input="emit('want', row.record, ($event.target as HTMLInputElement).value)"
            @keydown.enter.prevent
          />
          <button
            type="button"
            class="door"
            :aria-label="`No value is wanted for record ${row.record}`"
            :aria-pressed="wanted[row.record] === null"
            @click="emit('want', row.record, wanted[row.record] === null ? '' : null)"
          >
            no value
          </button>
        </td>
        <td v-if="gives" class="value soft"><DataValue :value="gives(row)" /></td>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
.search {
  display: grid;
  grid-template-columns: 128px minmax(0, 1fr);
  gap: 7px 10px;
  align-items: baseline;
  margin-bottom: 8px;
}
.search label {
  color: var(--soft);
}
.value {
  max-width: 170px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.wanted {
  display: flex;
  gap: 6px;
  align-items: baseline;
}
.wanted .field {
  min-width: 90px;
}
.wanted .door {
  border-bottom-color: transparent;
  color: var(--soft);
  font-size: 11.5px;
  white-space: nowrap;
}
tr:hover .wanted .door,
.wanted .door:focus-visible {
  color: var(--press);
}
.wanted .door[aria-pressed='true'] {
  color: inherit;
  font-weight: 650;
}
</style>
