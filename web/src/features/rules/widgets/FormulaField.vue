<script setup lang="ts">
/** A formula with what it gives beside it: checked while it is typed, on real records. */
import { api, unwrap } from '@/api/client'
import { DataValue, count } from '@/shared'
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { refDebounced } from '@vueuse/core'
import { computed, ref, watch } from 'vue'
import { rulesAbove, type Rule } from '../logic/rulebook'
import type { Offered } from './completion'
import FormulaEditor from './FormulaEditor.vue'

const props = defineProps<{
  id: string
  value: string
  condition: boolean
  hint: string
  rule: Rule
  rules: Rule[]
  delivery: number
  disabled: boolean
}>()
const emit = defineEmits<{ set: [text: string] }>()
const text = ref(props.value)
watch(
  () => props.value,
  (now) => (text.value = now),
)
watch(text, (now) => now !== props.value && emit('set', now))
const settled = refDebounced(text, 250)
const above = computed(() => rulesAbove(props.rules, props.rule))
const functions = useQuery({
  queryKey: ['formula-functions'],
  queryFn: () => unwrap(api.GET('/api/formula-functions')),
  staleTime: Infinity,
})
const library = useQuery({ queryKey: ['library'], queryFn: () => unwrap(api.GET('/api/library')) })
const tried = useQuery({
  queryKey: [
    'formula',
    computed(() => [props.delivery, props.rule.id, settled.value, props.condition, above.value]),
  ],
  queryFn: ({ signal }) =>
    unwrap(
      api.POST('/api/deliveries/{delivery_id}/formula', {
        params: { path: { delivery_id: props.delivery } },
        body: {
          rules: above.value as never[],
          below: '',
          text: settled.value || ' ',
          condition: props.condition,
        },
        signal,
      }),
    ),
  placeholderData: keepPreviousData,
  retry: false,
})
const offered = computed<Offered>(() => ({
  columns: (tried.data.value?.columns ?? []) as [string, string][],
  parameters: (library.data.value?.parameters ?? []).map(({ name, type }) => [name, type]),
  functions: (functions.data.value ?? []).filter((each) => each.per_record || !props.condition),
  values: (name, part) =>
    unwrap(
      api.GET('/api/deliveries/{delivery_id}/values', {
        params: { path: { delivery_id: props.delivery }, query: { name, part } },
      }),
    ),
}))
const answer = computed(() => (settled.value.trim() ? tried.data.value : undefined))
const error = computed(() => {
  const it = answer.value
  return it?.message ? { start: it.start, end: it.end, message: it.message } : null
})
</script>

<template>
  <div class="formula">
    <FormulaEditor
      :id="id"
      v-model="text"
      :offered="offered"
      :error="error"
      :hint="hint || `such as  upper(trim(station)) || '-' || lpad(number, 4)`"
      :disabled="disabled"
    />
    <p v-if="answer?.message" class="wrong" role="status">
      <b>{{ answer.message }}</b> <span class="soft">{{ answer.advice }}</span>
    </p>
    <p v-else-if="tried.error.value" class="wrong">{{ tried.error.value.message }}</p>
    <table
      v-else-if="answer?.rows.length && text.trim()"
      class="lines results"
      aria-label="Result on some records"
    >
      <thead>
        <tr>
          <th class="num">Record</th>
          <th v-for="name in answer.reads.slice(0, 3)" :key="name">{{ name }}</th>
          <th>{{ condition ? 'Holds' : `Gives (${answer.type})` }}</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="row in answer.rows.slice(0, 5)" :key="row.record">
          <td class="num">{{ count(row.record) }}</td>
          <td v-for="(cell, i) in row.cells.slice(0, 3)" :key="i"><DataValue :value="cell" /></td>
          <td><DataValue :value="row.result" /></td>
        </tr>
      </tbody>
    </table>
    <p v-if="answer?.readings.length && text.trim()" class="question" role="status">
      “and” goes before “or”. Which is meant?
      <button
        v-for="(reading, at) in answer.readings"
        :key="reading"
        type="button"
        class="link mono"
        :disabled="disabled"
        :title="at ? 'the other way round' : 'as it is read now'"
        @click="text = reading"
      >
        {{ reading }}
      </button>
    </p>
  </div>
</template>

<style scoped>
.wrong {
  padding-top: 4px;
}
.question {
  display: grid;
  gap: 3px;
  justify-items: start;
  padding-top: 4px;
}
.question button {
  text-align: left;
  white-space: normal;
}
.results {
  margin-top: 4px;
}
.results td {
  max-width: 160px;
  overflow: hidden;
  padding: 2px 8px 2px 0;
  text-overflow: ellipsis;
  white-space: nowrap;
}
</style>
