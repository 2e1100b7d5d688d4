<script setup lang="ts">
/** The form of a rule, made from its kind. A new widget is one branch here. */
import type { Schemas } from '@/api/client'
import { Select, Switch } from 'ant-design-vue'
import { computed, onMounted, onUpdated, ref, watch } from 'vue'
import { choiceWords, codesAsText, codesFrom, fieldsOf } from '../logic/fields'
import type { Rule } from '../logic/rulebook'

const rule = defineModel<Rule>({ required: true })
const props = defineProps<{ kind: Schemas['KindOut']; columns: string[]; disabled: boolean }>()
const fields = computed(() => fieldsOf(props.kind))
const FORMATS = [
  '%Y-%m-%d',
  '%d.%m.%Y',
  '%d/%m/%Y',
  '%m/%d/%Y',
  '%Y/%m/%d',
  '%Y%m%d',
  '%d-%m-%Y',
  '%d %b %Y',
  '%d-%b-%Y',
  '%Y-%m-%d %H:%M',
  '%Y-%m-%d %H:%M:%S',
]
const LISTS = ['columns', 'new column', 'tokens', 'formats']
const HINTS: Record<string, string> = {
  tokens: 'type a value, then Enter',
  'new column': 'choose one, or type a new name, then Enter',
}
const offered = (widget: string): string[] =>
  ['columns', 'new column'].includes(widget) ? props.columns : widget === 'formats' ? FORMATS : []
const options = (names: string[]) => names.map((name) => ({ value: name, label: name }))
const list = (name: string) => (rule.value[name] ?? []) as string[]
const form = ref<HTMLElement>()
const opened = ref('')

/** The component library leaves the state of a closed list unsaid, and points to a list that is not there. */
function sayExpanded(): void {
  for (const input of form.value?.querySelectorAll('[role=combobox]') ?? []) {
    const expanded = input.id === `rule-${opened.value}`
    input.setAttribute('aria-expanded', String(expanded))
    for (const name of ['aria-controls', 'aria-owns']) {
      if (expanded) input.setAttribute(name, `${input.id}_list`)
      else input.removeAttribute(name)
    }
    if (!expanded) input.removeAttribute('aria-activedescendant')
  }
}
onMounted(sayExpanded)
onUpdated(sayExpanded)
watch(opened, sayExpanded, { flush: 'post' })
function set(name: string, value: unknown): void {
  rule.value = { ...rule.value, [name]: value }
}
const text = (event: Event) => (event.target as HTMLInputElement).value
</script>

<template>
  <div ref="form" class="form">
    <template v-for="field in fields" :key="field.name">
      <label :for="`rule-${field.name}`">{{ field.title }}</label>
      <Select
        v-if="LISTS.includes(field.widget)"
        :id="`rule-${field.name}`"
        :value="list(field.name)"
        :mode="field.widget === 'columns' ? 'multiple' : 'tags'"
        :options="options(offered(field.widget))"
        :placeholder="field.empty || HINTS[field.widget] || 'choose'"
        :disabled="disabled"
        :bordered="false"
        :open="opened === field.name"
        class="pick"
        @change="
          (value) => set(field.name, field.widget === 'new column' ? (value as string[]).slice(-1) : value)
        "
        @dropdown-visible-change="(open) => (opened = open ? field.name : '')"
      />
      <select
        v-else-if="field.widget === 'choice'"
        :id="`rule-${field.name}`"
        class="field words"
        :value="rule[field.name]"
        :disabled="disabled"
        @change="set(field.name, text($event))"
      >
        <option v-for="choice in field.choices" :key="choice" :value="choice">
          {{ choiceWords(choice) }}
        </option>
      </select>
      <Switch
        v-else-if="field.widget === 'switch'"
        :id="`rule-${field.name}`"
        :checked="Boolean(rule[field.name])"
        :disabled="disabled"
        size="small"
        class="switch"
        :aria-label="field.title"
        @change="(value) => set(field.name, value)"
      />
      <textarea
        v-else-if="field.widget === 'codes'"
        :id="`rule-${field.name}`"
        class="field"
        rows="5"
        placeholder="one a line: code = meaning"
        :value="codesAsText(rule[field.name] as { code: string; meaning: string }[])"
        :disabled="disabled"
        @change="set(field.name, codesFrom(text($event)))"
      ></textarea>
      <textarea
        v-else-if="field.widget === 'formula'"
        :id="`rule-${field.name}`"
        class="field"
        :rows="field.name === 'formula' ? 3 : 1"
        spellcheck="false"
        :placeholder="field.empty || `such as  upper(trim(station)) || '-' || lpad(number, 4)`"
        :value="String(rule[field.name] ?? '')"
        :disabled="disabled"
        @input="set(field.name, text($event))"
      ></textarea>
      <input
        v-else
        :id="`rule-${field.name}`"
        class="field"
        :class="{ words: ['note', 'words'].includes(field.widget) }"
        :value="rule[field.name] ?? ''"
        :placeholder="
          field.widget === 'bound'
            ? 'none; a number or a date like 2024-03-01'
            : field.widget === 'note'
              ? 'why this rule is here'
              : field.empty
        "
        :disabled="disabled"
        @input="set(field.name, field.widget === 'bound' ? text($event).trim() || null : text($event))"
      />
    </template>
  </div>
</template>

<style scoped>
.form {
  display: grid;
  grid-template-columns: 128px minmax(0, 1fr);
  gap: 7px 10px;
  align-items: baseline;
  margin: 10px 0;
}
label {
  color: var(--soft);
}
.words {
  font-family: var(--sans);
  font-size: 13px;
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
.switch {
  justify-self: start;
}
</style>
