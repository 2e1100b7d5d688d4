<script setup lang="ts">
/** One field of a rule. A new widget is one branch here. */
import { api, unwrap } from '@/api/client'
import { useQuery } from '@tanstack/vue-query'
import { Select, Switch } from 'ant-design-vue'
import { computed, defineAsyncComponent, inject, onMounted, onUpdated, ref, watch } from 'vue'
import { numberOf, optionsOf, type Field } from '../logic/fields'
import { OTHER_TABLES } from '../logic/otherTables'
import type { Rule } from '../logic/rulebook'
import CodesWidget from '../widgets/CodesWidget.vue'
import ColumnsBy from '../widgets/ColumnsBy.vue'
import ValuesFromData from '../widgets/ValuesFromData.vue'
import RowsWidget, { type Cell } from '../widgets/RowsWidget.vue'
import { TypedInput } from '@/shared'

const FormulaField = defineAsyncComponent(() => import('../widgets/FormulaField.vue'))
const props = defineProps<{
  field: Field
  value: unknown
  rule: Rule
  columns: string[]
  disabled: boolean
  /** on which formulas are tried and from which values are taken; 0 where there is none */
  delivery: number
  rules: Rule[]
}>()
const emit = defineEmits<{ set: [value: unknown] }>()
const id = computed(() => `rule-${props.field.name}`)
const LISTS = ['columns', 'new column', 'tokens', 'formats', 'names', 'several', 'their columns']
const HINTS: Record<string, string> = {
  tokens: 'type a value, then Enter',
  names: 'type a name, then Enter',
  'new column': 'choose one, or type a new name, then Enter',
}
const MEASURES = [
  'records', 'filled', 'different', 'sum', 'mean', 'median', 'lowest', 'highest', 'spread', 'first', 'last', 'list',
] // prettier-ignore
const ROWS: Record<string, { cells: Cell[]; blank: Record<string, unknown> }> = {
  bands: {
    cells: [
      { name: 'low', label: 'From', kind: 'number', width: '72px' },
      { name: 'high', label: 'To below', kind: 'number', width: '72px' },
      { name: 'label', label: 'Is called', kind: 'text' },
    ],
    blank: { low: null, high: null, label: '' },
  },
  'key pairs': {
    cells: [
      { name: 'code', label: 'Column', kind: 'column' },
      { name: 'meaning', label: 'Is its column', kind: 'their column' },
    ],
    blank: { code: '', meaning: '' },
  },
  'sort keys': {
    cells: [
      { name: 'column', label: 'Column', kind: 'column' },
      { name: 'descending', label: 'High to low', kind: 'switch', width: '84px' },
    ],
    blank: { column: '', descending: false },
  },
  measures: {
    cells: [
      { name: 'what', label: 'What', kind: 'choice', choices: MEASURES, width: '92px' },
      { name: 'column', label: 'Of the column', kind: 'column' },
      { name: 'name', label: 'Into', kind: 'text' },
    ],
    blank: { what: 'mean', column: '', name: '' },
  },
}
const OF_OTHERS = ['reference', 'key pairs', 'their column', 'their columns']
const mode = computed(() =>
  ['columns', 'several', 'their columns'].includes(props.field.widget) ? 'multiple' : 'tags',
)
const list = computed(() => (props.value ?? []) as string[])
const given = inject(OTHER_TABLES, undefined)
const library = useQuery({
  queryKey: ['library'],
  queryFn: () => unwrap(api.GET('/api/library')),
  enabled: () => ['code list', ...(given ? [] : OF_OTHERS)].includes(props.field.widget),
})
const others = computed(
  () => given?.value ?? (library.data.value?.references ?? []).map((each) => ({ ...each, label: each.name })),
)
const shelf = computed(() =>
  props.field.widget === 'reference'
    ? others.value
    : (library.data.value?.code_lists ?? []).map(({ name }) => ({ name, label: name })),
)
/** The columns of the other table that the rule looks into. */
const theirs = computed(() => others.value.find((each) => each.name === props.rule.reference)?.columns ?? [])
const options = computed(() => optionsOf(props.field, props.columns, theirs.value))
/** What a list of columns offers; what is chosen is offered too, also where it is there no longer. */
const pickable = computed(() => {
  const known = props.field.widget === 'column' ? props.columns : theirs.value
  const held = String(props.value ?? '')
  return held && !known.includes(held) ? [...known, held] : known
})
/** A field for one column takes the last one, and its list has done its work. */
function choose(chosen: string[]): void {
  const single = props.field.widget === 'new column'
  if (single) opened.value = false
  emit('set', single ? chosen.slice(-1) : chosen)
}
const host = ref<HTMLElement>()
const opened = ref(false)

/** The component library leaves the state of a closed list unsaid, and points to a list that is not there. */
function sayExpanded(): void {
  for (const input of host.value?.querySelectorAll('[role=combobox]') ?? []) {
    input.setAttribute('aria-expanded', String(opened.value))
    for (const name of ['aria-controls', 'aria-owns']) {
      if (opened.value) input.setAttribute(name, `${input.id}_list`)
      else input.removeAttribute(name)
    }
    if (!opened.value) input.removeAttribute('aria-activedescendant')
  }
}
onMounted(sayExpanded)
onUpdated(sayExpanded)
watch(opened, sayExpanded, { flush: 'post' })
const text = (event: Event) => (event.target as HTMLInputElement).value
</script>

<template>
  <div ref="host" class="cell">
    <Select
      v-if="LISTS.includes(field.widget)"
      :id="id"
      :value="list"
      :mode="mode"
      :options="options"
      :placeholder="field.empty || HINTS[field.widget] || 'choose'"
      :disabled="disabled"
      :bordered="false"
      :open="opened"
      class="pick"
      @change="(value) => choose(value as string[])"
      @dropdown-visible-change="(open) => (opened = open)"
    />
    <select
      v-else-if="field.widget === 'choice'"
      :id="id"
      class="field words"
      :value="value"
      :disabled="disabled"
      @change="emit('set', text($event))"
    >
      <option v-for="choice in field.choices" :key="choice.value" :value="choice.value">
        {{ choice.label }}
      </option>
    </select>
    <select
      v-else-if="field.widget === 'column' || field.widget === 'their column'"
      :id="id"
      class="field"
      :value="value ?? ''"
      :disabled="disabled"
      @change="emit('set', text($event))"
    >
      <option value="">{{ field.empty || 'choose a column' }}</option>
      <option v-for="name in pickable" :key="name" :value="name">{{ name }}</option>
    </select>
    <template v-else-if="field.widget === 'code list' || field.widget === 'reference'">
      <select
        :id="id"
        class="field"
        :value="value ?? ''"
        :disabled="disabled"
        @change="emit('set', text($event))"
      >
        <option value="">{{ field.empty || 'choose a table' }}</option>
        <option v-for="item in shelf" :key="item.name" :value="item.name">{{ item.label }}</option>
      </select>
      <small v-if="!shelf.length && !given && library.data.value" class="soft"
        >none yet: <RouterLink :to="{ name: 'library' }">Library</RouterLink></small
      >
    </template>
    <Switch
      v-else-if="field.widget === 'switch'"
      :id="id"
      :checked="Boolean(value)"
      :disabled="disabled"
      size="small"
      :aria-label="field.title"
      @change="(now) => emit('set', now)"
    />
    <CodesWidget
      v-else-if="field.widget === 'codes'"
      :id="id"
      :model-value="(value ?? []) as { code: string; meaning: string }[]"
      :disabled="disabled"
      :hint="
        field.name === 'codes' ? 'one per line: code = meaning' : 'one per line: this column = that name'
      "
      @update:model-value="(now) => emit('set', now)"
    />
    <FormulaField
      v-else-if="field.widget === 'formula' && delivery"
      :id="id"
      :value="String(value ?? '')"
      :condition="field.condition"
      :hint="field.empty"
      :rule="rule"
      :rules="rules"
      :delivery="delivery"
      :disabled="disabled"
      @set="(now: string) => emit('set', now)"
    />
    <RowsWidget
      v-else-if="ROWS[field.widget]"
      :id="id"
      :model-value="(value ?? []) as Record<string, unknown>[]"
      :cells="ROWS[field.widget]!.cells"
      :blank="ROWS[field.widget]!.blank"
      :columns="columns"
      :theirs="theirs"
      :disabled="disabled"
      :what="field.title"
      @update:model-value="(now) => emit('set', now)"
    />
    <ColumnsBy
      v-else-if="field.widget === 'columns by'"
      :id="id"
      :model-value="value as never"
      :disabled="disabled"
      @update:model-value="(now) => emit('set', now)"
    />
    <TypedInput
      v-else-if="field.widget === 'numbers'"
      :id="id"
      class="field"
      placeholder="such as 4, 2, 2"
      :value="(value as number[]).join(', ')"
      :disabled="disabled"
      @said="
        emit(
          'set',
          $event
            .split(/[ ,;]+/)
            .filter(Boolean)
            .map(Number),
        )
      "
    />
    <TypedInput
      v-else-if="field.widget === 'whole' || field.widget === 'number'"
      :id="id"
      live
      class="field number"
      inputmode="decimal"
      :value="value ?? ''"
      :placeholder="field.empty || 'none'"
      :disabled="disabled"
      @said="emit('set', numberOf($event))"
    />
    <TypedInput
      v-else
      :id="id"
      live
      class="field"
      :class="{ words: ['note', 'words'].includes(field.widget) }"
      :value="value ?? ''"
      :placeholder="
        field.widget === 'bound'
          ? 'none; a number or a date like 2024-03-01'
          : field.widget === 'note'
            ? 'why this rule is here'
            : field.empty
      "
      :disabled="disabled"
      @said="emit('set', field.widget === 'bound' ? $event.trim() || null : $event)"
    />
    <ValuesFromData
      v-if="field.valuesOf && delivery && !disabled"
      :column="String(rule[field.valuesOf] ?? '')"
      :rule="rule"
      :rules="rules"
      :delivery="delivery"
      :chosen="list"
      @take="(values: string[]) => emit('set', values)"
    />
  </div>
</template>

<style scoped>
.cell {
  min-width: 0;
}
.words {
  font-family: var(--sans);
  font-size: 13px;
}
.number {
  width: 110px;
}
.pick {
  width: 100%;
  border-bottom: 1px solid var(--faint);
}
.pick :deep(.ant-select-selector) {
  padding: 0 2px !important;
  background: none !important;
}
.pick :deep(.ant-select-selection-item) {
  font: 12.5px var(--mono);
}
.pick:focus-within {
  border-bottom-color: var(--press);
}
</style>
