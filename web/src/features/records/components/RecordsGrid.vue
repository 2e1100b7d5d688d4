<script setup lang="ts">
/** A grid of any number of records and columns; only what is in view is in the page. */
import type { Schemas } from '@/api/client'
import { count, DataValue } from '@/shared'
import { useElementSize } from '@vueuse/core'
import { computed, nextTick, onMounted, reactive, ref, toRef, watch } from 'vue'
import { useBigScroll } from '../logic/bigScroll'
import { useGridColumns } from '../logic/gridColumns'
import { goalOf, within } from '../logic/gridKeys'

const props = defineProps<{
  columns: Schemas['ColumnOut'][]
  files: string[]
  total: number
  judged: boolean
  row: (index: number) => Schemas['RecordOut'] | undefined
  sort: string
  direction: 'up' | 'down'
  /** The column that the filters are about: it is brought into view. */
  about?: string
}>()
const emit = defineEmits<{
  need: [first: number, last: number]
  order: [column: string]
  open: [record: number]
}>()
const ROW = 26
const HEAD = 42
const fixed = computed(() => (props.judged ? 330 : 210))
const scroll = useBigScroll(toRef(props, 'total'), ROW)
const { element } = scroll
const size = useElementSize(element)
watch(size.height, (height) => (scroll.viewport.value = Math.max(ROW, height - HEAD)), { immediate: true })
watch([scroll.first, scroll.last], ([first, last]) => emit('need', first, last), { immediate: true })

const left = ref(0)
const layout = useGridColumns(
  () => props.columns,
  () => props.judged,
  fixed,
  left,
  size.width,
)
const { all, seen } = layout
const rows = computed(() => {
  const lines = []
  for (let index = scroll.first.value; index <= scroll.last.value; index += 1) {
    lines.push({ index, y: index * ROW - scroll.offset.value, data: props.row(index) })
  }
  return lines
})
function onScroll(): void {
  left.value = element.value?.scrollLeft ?? 0
  scroll.onScroll()
}

const cursor = reactive({ row: 0, column: 0 })
const active = ref(false)
const extent = computed(() => ({ row: props.total, column: props.columns.length }))
function move(row: number, column: number): void {
  Object.assign(cursor, within({ row, column }, extent.value))
  const y = cursor.row * ROW
  const view = scroll.viewport.value
  if (y < scroll.top.value) scroll.scrollToRow(cursor.row)
  else if (y + ROW > scroll.top.value + view) scroll.scrollToRow(cursor.row - Math.floor(view / ROW) + 1)
  const box = element.value
  if (!box) return
  left.value = box.scrollLeft
  box.scrollLeft = layout.scrollTo(cursor.column, box.clientWidth) ?? box.scrollLeft
}
function open(row: number): void {
  const record = props.row(row)?.record
  if (record !== undefined) emit('open', record)
}
function onKey(event: KeyboardEvent): void {
  const page = Math.max(1, Math.floor(scroll.viewport.value / ROW) - 1)
  const goal = goalOf(event, cursor, extent.value, page)
  const { row, column } = cursor
  if (goal) {
    event.preventDefault()
    move(goal.row, goal.column)
  } else if (event.key === 'Enter') {
    open(row)
  } else if ((event.ctrlKey || event.metaKey) && event.key === 'c' && !getSelection()?.toString()) {
    void navigator.clipboard?.writeText(props.row(row)?.cells[column] ?? '')
  }
}
onMounted(() =>
  nextTick(() => {
    const at = props.columns.findIndex(({ name }) => name === props.about)
    if (at > 0) move(0, at)
  }),
)
const numeric = (type: string) => ['decimal', 'exact decimal', 'whole number'].includes(type)
const reasonsFor = (data: Schemas['RecordOut'], name: string) =>
  (data.reasons ?? []).filter((reason) => String(reason.name).split(', ').includes(name))
const reasonsOf = (data: Schemas['RecordOut']) =>
  (data.reasons ?? [])
    .map((r) => [r.name, r.value, r.phrase].filter((part) => part !== null).join(' '))
    .join('; ')
const tip = (value: string | null | undefined, original: string | null | undefined) =>
  (value ?? 'missing') + (original === null || original === undefined ? '' : ` — delivered as “${original}”`)
</script>

<template>
  <div
    :ref="(node) => (element = node as HTMLElement)"
    class="grid"
    role="grid"
    tabindex="0"
    aria-label="Records"
    :aria-rowcount="total + 1"
    :aria-colcount="columns.length + 1"
    :aria-activedescendant="active ? `cell-${cursor.row}-${cursor.column}` : undefined"
    @scroll.passive="onScroll"
    @keydown="onKey"
    @focus="active = true"
    @blur="active = false"
  >
    <div class="heads" role="row" aria-rowindex="1" :style="{ width: `${all}px` }">
      <div class="pin head" role="columnheader" aria-colindex="1" :style="{ width: `${fixed}px` }">
        <span class="no">Record</span><span class="origin">File, line</span
        ><span v-if="judged" class="state">State</span>
      </div>
      <div
        v-for="column in seen"
        :key="column.index"
        class="head cell"
        role="columnheader"
        :aria-colindex="column.index + 2"
        :aria-sort="sort !== column.name ? 'none' : direction === 'up' ? 'ascending' : 'descending'"
        :style="{ left: `${column.start}px`, width: `${column.width}px` }"
      >
        <button
          type="button"
          tabindex="-1"
          :title="`${column.name}, ${column.type}: sort`"
          @click="emit('order', column.name)"
        >
          {{ column.name }}{{ sort === column.name ? (direction === 'up' ? ' ↑' : ' ↓') : '' }}
        </button>
        <small class="soft">{{ column.type }}</small>
      </div>
    </div>
    <div class="rows" role="rowgroup" :style="{ height: `${scroll.height.value}px`, width: `${all}px` }">
      <div
        v-for="eachRow in rows"
        :key="eachRow.index % 120"
        class="row"
        role="row"
        :aria-rowindex="eachRow.index + 2"
        :class="{ at: eachRow.index === cursor.row }"
        :style="{ transform: `translateY(${eachRow.y}px)`, width: `${all}px` }"
        @dblclick="open(eachRow.index)"
      >
        <div class="pin" role="rowheader" aria-colindex="1" :style="{ width: `${fixed}px` }">
          <template v-if="eachRow.data">
            <span class="no">{{ count(eachRow.data.record) }}</span>
            <span class="origin" :title="`${files[eachRow.data.file]}, line ${eachRow.data.line}`"
              >{{ files[eachRow.data.file] }} <b>{{ eachRow.data.line }}</b></span
            >
            <span v-if="judged" class="state" :title="reasonsOf(eachRow.data)"
              ><i :class="`part-${eachRow.data.state}`" aria-hidden="true"></i>{{ eachRow.data.state }}</span
            >
          </template>
        </div>
        <template v-if="eachRow.data">
          <div
            v-for="column in seen"
            :id="`cell-${eachRow.index}-${column.index}`"
            :key="column.index"
            class="cell"
            role="gridcell"
            :aria-colindex="column.index + 2"
            :class="{
              right: numeric(column.type),
              on: eachRow.index === cursor.row && column.index === cursor.column,
              wrong: reasonsFor(eachRow.data, column.name).length,
            }"
            :style="{ left: `${column.start}px`, width: `${column.width}px` }"
            :title="tip(eachRow.data.cells[column.index], eachRow.data.originals?.[column.index])"
            @click="move(eachRow.index, column.index)"
          >
            <DataValue :value="eachRow.data.cells[column.index]" />
            <DataValue
              v-if="eachRow.data.originals?.[column.index]"
              class="before"
              :value="eachRow.data.originals[column.index]"
              was
            />
          </div>
        </template>
      </div>
    </div>
  </div>
</template>

<style scoped>
.grid {
  position: relative;
  flex: 1;
  min-height: 0;
  overflow: auto;
  border-top: 1px solid var(--hair);
  contain: strict;
}
.heads {
  position: sticky;
  top: 0;
  z-index: 3;
  height: 42px;
  border-bottom: 1px solid var(--ink);
  background: var(--paper);
}
.head {
  color: var(--soft);
  font-size: 12px;
}
.head button {
  display: block;
  width: 100%;
  overflow: hidden;
  border: 0;
  padding: 4px 0 0;
  background: none;
  color: var(--ink);
  font: 550 12px var(--mono);
  text-align: inherit;
  text-overflow: ellipsis;
  white-space: nowrap;
  cursor: pointer;
}
.head small {
  font-size: 11px;
}
.heads .cell {
  height: 41px;
  line-height: 1.3;
}
.pin {
  position: sticky;
  left: 0;
  z-index: 2;
  display: flex;
  gap: 10px;
  height: 100%;
  border-right: 1px solid var(--hair);
  background: var(--paper);
}
.heads .pin {
  align-items: end;
  padding-bottom: 4px;
}
.no {
  width: 66px;
  text-align: right;
}
.row .no,
.row .origin {
  font: 12px/25px var(--mono);
}
.origin {
  width: 118px;
  overflow: hidden;
  color: var(--soft);
  text-overflow: ellipsis;
  white-space: nowrap;
  direction: rtl;
  text-align: left;
}
.origin b {
  color: var(--ink);
  font-weight: 400;
}
.heads .origin {
  direction: ltr;
}
.state i {
  display: inline-block;
  width: 9px;
  height: 9px;
  margin-right: 6px;
}
/* clipped, not hidden: a box that could scroll would take the record numbers with it */
.rows {
  position: relative;
  overflow: clip;
}
.row {
  position: absolute;
  top: 0;
  left: 0;
  height: 26px;
  border-bottom: 1px solid var(--hair2);
  line-height: 25px;
  contain: layout style;
}
.row.at .pin,
.row.at {
  background: var(--wash);
}
.cell {
  position: absolute;
  top: 0;
  height: 25px;
  padding: 0 8px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.before {
  margin-left: 8px;
}
.right {
  text-align: right;
}
.cell.wrong {
  box-shadow: inset 0 -2px 0 var(--quarantined);
}
.cell.on {
  outline: 2px solid var(--press);
  outline-offset: -2px;
}
</style>
