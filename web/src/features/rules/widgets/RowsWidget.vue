<script setup lang="ts">
/** A small table that is edited in place: bands, keys to sort by, results of groups. */
import { computed } from 'vue'
import { TypedInput } from '@/shared'
import { numberOf } from '../logic/fields'

export interface Cell {
  name: string
  label: string
  kind: 'text' | 'number' | 'column' | 'their column' | 'choice' | 'switch'
  choices?: string[]
  width?: string
}
type Row = Record<string, unknown>
const rows = defineModel<Row[]>({ required: true })
const props = defineProps<{
  id: string
  cells: Cell[]
  columns: string[]
  /** the columns of the other table that the rule looks into */
  theirs: string[]
  disabled: boolean
  what: string
  blank: Row
}>()
const PICKED = ['column', 'their column', 'choice']
/** What a cell offers; what it holds is offered too, also where it is there no longer. */
function offered(cell: Cell, value: unknown): string[] {
  const known =
    (cell.kind === 'column' ? props.columns : cell.kind === 'choice' ? cell.choices : props.theirs) ?? []
  const held = String(value ?? '')
  return held && !known.includes(held) ? [...known, held] : known
}
const grid = computed(() => ({
  gridTemplateColumns: [...props.cells.map((cell) => cell.width ?? 'minmax(0, 1fr)'), '18px'].join(' '),
}))
function set(at: number, cell: Cell, typed: string | boolean): void {
  const value = cell.kind === 'number' ? numberOf(String(typed)) : typed
  rows.value = rows.value.map((row, i) => (i === at ? { ...row, [cell.name]: value } : row))
}
const text = (event: Event) => (event.target as HTMLInputElement).value
</script>

<template>
  <div class="rows" role="group" :aria-label="what">
    <div v-if="rows.length" class="row soft heads" :style="grid" aria-hidden="true">
      <span v-for="cell in cells" :key="cell.name">{{ cell.label }}</span>
    </div>
    <div v-for="(row, at) in rows" :key="at" class="row" :style="grid">
      <template v-for="(cell, i) in cells" :key="cell.name">
        <select
          v-if="PICKED.includes(cell.kind)"
          :id="i === 0 && at === 0 ? id : undefined"
          class="field"
          :aria-label="`${cell.label} ${at + 1}`"
          :value="row[cell.name]"
          :disabled="disabled"
          @change="set(at, cell, text($event))"
        >
          <option value=""></option>
          <option v-for="choice in offered(cell, row[cell.name])" :key="choice" :value="choice">
            {{ choice }}
          </option>
        </select>
        <label v-else-if="cell.kind === 'switch'" class="check"
          ><input
            type="checkbox"
            :checked="Boolean(row[cell.name])"
            :disabled="disabled"
            :aria-label="`${cell.label} ${at + 1}`"
            @change="set(at, cell, ($event.target as HTMLInputElement).checked)"
        /></label>
        <TypedInput
          v-else
          :id="i === 0 && at === 0 ? id : undefined"
          live
          class="field"
          :class="{ number: cell.kind === 'number' }"
          :inputmode="cell.kind === 'number' ? 'decimal' : undefined"
          :value="row[cell.name] ?? ''"
          :placeholder="cell.kind === 'number' ? 'open' : ''"
          :disabled="disabled"
          :aria-label="`${cell.label} ${at + 1}`"
          @said="set(at, cell, $event)"
        />
      </template>
      <button
        type="button"
        class="link"
        :disabled="disabled"
        :aria-label="`Remove row ${at + 1}`"
        @click="rows = rows.filter((_, n) => n !== at)"
      >
        ×
      </button>
    </div>
    <button
      :id="rows.length ? undefined : id"
      type="button"
      class="link"
      :aria-label="`Add a row: ${what}`"
      :disabled="disabled"
      @click="rows = [...rows, { ...blank }]"
    >
      Add a row
    </button>
  </div>
</template>

<style scoped>
.row {
  display: grid;
  gap: 8px;
  align-items: baseline;
}
.heads {
  font-size: 12px;
}
.number {
  text-align: right;
}
.check {
  text-align: center;
}
</style>
