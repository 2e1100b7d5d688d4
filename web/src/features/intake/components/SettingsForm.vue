<script setup lang="ts">
/** The import settings, few and in words, each with its evidence. What is not chosen is detected. */
import { api, unwrap, type Schemas } from '@/api/client'
import { useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { entered, type Field, fieldsOf, type Request, worded } from '../logic/settings'
import { TypedInput } from '@/shared'

const request = defineModel<Request>({ required: true })
const props = defineProps<{ preview?: Schemas['PreviewOut']; disabled?: boolean }>()
const all = ref(false)
const used = computed(() => props.preview?.settings)
const format = computed(() => request.value.format ?? used.value?.format ?? 'delimited')
const formats = useQuery({
  queryKey: ['formats'],
  queryFn: () => unwrap(api.GET('/api/formats')),
  staleTime: Infinity,
})
const shown = (every: boolean) => fieldsOf(formats.data.value ?? [], format.value, request.value, every)
const fields = computed(() => shown(all.value))
const evidence = (field: Field) => props.preview?.evidence[field.name] ?? ''
const detected = (field: Field) => (used.value ? worded(field, used.value[field.name]) : '…')
const rivals = (field: Field) =>
  (props.preview?.rivals[field.name] ?? []).filter((rival) => rival !== request.value[field.name])

function set(field: Field, value: unknown): void {
  request.value = { ...request.value, [field.name]: value }
}
const text = (event: Event) => (event.target as HTMLInputElement | HTMLSelectElement).value
function current(field: Field): string {
  const value = request.value[field.name]
  if (value === null || value === undefined)
    return field.kind === 'choice' || field.kind === 'switch' ? 'detected' : ''
  if (field.kind === 'switch') return value ? 'yes' : 'no'
  if (Array.isArray(value)) return value.join(', ')
  return String(value as string | number).replace(/\t/g, '\\t')
}
</script>

<template>
  <fieldset class="settings" :disabled="disabled">
    <legend class="hidden-label">Import settings</legend>
    <template v-for="field in fields" :key="field.name">
      <label :for="`set-${field.name}`">{{ field.label }}</label>
      <select
        v-if="field.kind === 'choice' || field.kind === 'switch'"
        :id="`set-${field.name}`"
        class="field"
        :class="{ chosen: current(field) !== 'detected' }"
        :value="current(field)"
        @change="set(field, entered(field, text($event)))"
      >
        <option value="detected">{{ detected(field) }}</option>
        <option
          v-for="[value, name] in field.kind === 'switch'
            ? [
                ['yes', 'yes'],
                ['no', 'no'],
              ]
            : field.options"
          :key="value"
          :value="value"
        >
          {{ name }} (by hand)
        </option>
      </select>
      <TypedInput
        v-else
        :id="`set-${field.name}`"
        class="field"
        :class="{ chosen: current(field) !== '' }"
        :type="field.kind === 'number' ? 'number' : 'text'"
        :list="field.options ? `list-${field.name}` : undefined"
        :placeholder="detected(field)"
        :value="current(field)"
        @said="set(field, entered(field, $event))"
      />
      <datalist v-if="field.kind === 'open choice'" :id="`list-${field.name}`">
        <option v-for="[value, name] in field.options" :key="value" :value="value.replace('\t', '\\t')">
          {{ name }}
        </option>
      </datalist>
      <span class="soft">
        {{ evidence(field)
        }}<template v-if="field.kind === 'list'">; type others, separated by commas</template>
        <template v-if="rivals(field).length && !disabled">
          · or
          <button
            v-for="rival in rivals(field)"
            :key="rival"
            type="button"
            class="link rival"
            @click="set(field, rival)"
          >
            {{ worded(field, rival) }}
          </button>
        </template>
        <button
          v-if="request[field.name] !== null && request[field.name] !== undefined && !disabled"
          type="button"
          class="link"
          @click="set(field, null)"
        >
          detect
        </button>
      </span>
    </template>
    <button
      v-if="shown(true).length > shown(false).length"
      type="button"
      class="link all"
      :aria-expanded="all"
      @click="all = !all"
    >
      {{ all ? 'Fewer settings' : 'All settings' }}
    </button>
  </fieldset>
</template>

<style scoped>
.settings {
  display: grid;
  grid-template-columns: 116px 150px minmax(0, 1fr);
  gap: 3px 12px;
  align-items: baseline;
  margin: 0;
  border: 0;
  padding: 0;
}
label {
  color: var(--soft);
}
span {
  font-size: 12px;
}
span button {
  font-size: 12px;
}
.field.chosen {
  border-bottom-color: var(--ink);
  font-weight: 650;
}
input.field::placeholder {
  color: var(--ink);
  font-family: var(--mono);
}
.rival {
  margin-right: 6px;
}
.all {
  grid-column: 1 / 3;
  justify-self: start;
}
</style>
