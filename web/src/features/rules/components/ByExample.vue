<script setup lang="ts">
/** A formula from wanted results: they are typed for a few records, all others are shown, doubts are asked about. */
import { api, unwrap } from '@/api/client'
import { count, DataValue, plural, StateNote } from '@/shared'
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { refDebounced } from '@vueuse/core'
import Themed from '@/shared/antd/Themed.vue'
import { Select } from 'ant-design-vue'
import { computed, ref, watch } from 'vue'
import type { Rule } from '../logic/rulebook'

const props = defineProps<{ delivery: number; rules: Rule[]; columns: string[]; column?: string }>()
const emit = defineEmits<{ make: [formula: string, column: string]; leave: [] }>()
const looked = ref<string[]>(props.column ? [props.column] : [])
const into = ref(props.column ? `${props.column}_new` : 'result')
const expected = ref<Record<number, string>>({})
const extra = ref<{ record: number; cells: (string | null)[] }[]>([])
const chosen = ref(0)
const opened = ref(false)
watch(looked, (now) => {
  expected.value = {}
  extra.value = []
  if (now.length && into.value === 'result') into.value = `${now[0]}_new`
})
const examples = computed(() =>
  Object.entries(expected.value)
    .filter(([, result]) => result !== '')
    .map(([record, result]) => ({ record: Number(record), result })),
)
const asked = computed(() => JSON.stringify([props.delivery, looked.value, examples.value]))
const settled = refDebounced(asked, 400)
const { data, error, isFetching } = useQuery({
  queryKey: ['examples', settled, computed(() => props.rules)],
  queryFn: ({ signal }) =>
    unwrap(
      api.POST('/api/deliveries/{delivery_id}/examples', {
        params: { path: { delivery_id: props.delivery } },
        body: { rules: props.rules as never[], below: '', columns: looked.value, wanted: examples.value },
        signal,
      }),
    ),
  enabled: () => looked.value.length > 0,
  placeholderData: keepPreviousData,
  retry: false,
})
const candidates = computed(() => (examples.value.length ? (data.value?.candidates ?? []) : []))
watch(candidates, () => (chosen.value = 0))
const candidate = computed(() => candidates.value[chosen.value])
const records = computed(() => [
  ...(data.value?.records ?? []),
  ...extra.value.filter(
    ({ record }) => !(data.value?.records ?? []).some((known) => known.record === record),
  ),
])
const places = computed(() => looked.value.map((name) => data.value?.looked_at.indexOf(name) ?? -1))
const cellsOf = (cells: (string | null)[]) => places.value.map((at) => cells[at] ?? null)
/** A doubt settled: the wanted result becomes an example of its own. */
function settle(
  question: { record: number; values: (string | null)[]; results: (string | null)[] },
  result: string | null,
): void {
  chosen.value = Math.max(0, question.results.indexOf(result))
  if (result === null) return // nothing cannot be typed as an example: the formula that gives it is chosen
  const cells = (data.value?.looked_at ?? []).map(
    (name) => question.values[data.value?.columns.indexOf(name) ?? -1] ?? null,
  )
  extra.value = [...extra.value, { record: question.record, cells }]
  expected.value = { ...expected.value, [question.record]: result }
}
/** What is shown answers former examples until the new ones are asked about. */
const stale = computed(() => isFetching.value || asked.value !== settled.value)
const ready = computed(() => Boolean(candidate.value && into.value.trim()) && !stale.value)
const results = computed(() =>
  candidate.value ? [...candidate.value.untreated_rows, ...candidate.value.rows] : [],
)
function make(): void {
  if (candidate.value && ready.value) emit('make', candidate.value.formula, into.value.trim())
}
</script>

<template>
  <form class="example" aria-label="By example" @submit.prevent="make">
    <h2>By example</h2>
    <p class="soft">
      Type the result you want for two or three records. All others are shown before anything is saved.
    </p>
    <div class="form">
      <label for="example-columns">Made from</label>
      <Themed
        ><Select
          id="example-columns"
          v-model:value="looked"
          mode="multiple"
          :options="columns.map((name) => ({ value: name, label: name }))"
          placeholder="choose one or several columns"
          :bordered="false"
          :open="opened"
          class="pick"
          @dropdown-visible-change="(open) => (opened = open)"
      /></Themed>
      <label for="example-into">Into the column</label>
      <input id="example-into" v-model="into" class="field" />
    </div>
    <StateNote :error="error" />
    <table v-if="looked.length && records.length" class="lines" aria-label="Examples">
      <thead>
        <tr>
          <th class="num">Record</th>
          <th v-for="name in looked" :key="name">{{ name }}</th>
          <th>Wanted</th>
          <th v-if="candidate">Gives</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="row in records.slice(0, 8 + extra.length)" :key="row.record">
          <td class="num">{{ count(row.record) }}</td>
          <td v-for="(cell, i) in cellsOf(row.cells)" :key="i" class="value"><DataValue :value="cell" /></td>
          <td>
            <input
              class="field"
              :aria-label="`Wanted for record ${row.record}`"
              :value="expected[row.record] ?? ''"
              @input="expected = { ...expected, [row.record]: ($event.target as HTMLInputElement).value }"
              @keydown.enter.prevent
            />
          </td>
          <td v-if="candidate" class="value soft">
            <DataValue
              :value="
                candidate.rows.find((eachRow) => eachRow.record === row.record)?.result ??
                candidate.rows.find(
                  (eachRow) =>
                    JSON.stringify(eachRow.values) ===
                    JSON.stringify(
                      candidate!.columns.map((name) => row.cells[data!.looked_at.indexOf(name)] ?? null),
                    ),
                )?.result
              "
            />
          </td>
        </tr>
      </tbody>
    </table>
    <p v-if="examples.length && data && !candidates.length && !isFetching" role="status">
      <b>No formula gives these results.</b>
      <span class="soft">Look at more columns, correct an example, or write the formula yourself.</span>
    </p>
    <p v-if="stale && examples.length" class="soft" role="status">looking for formulas …</p>
    <template v-if="candidates.length">
      <h3>Formulas, the simplest first</h3>
      <label v-for="(eachCandidate, i) in candidates" :key="eachCandidate.formula" class="candidate">
        <input v-model="chosen" type="radio" name="candidate" :value="i" />
        <code>{{ eachCandidate.formula }}</code>
        <span class="soft">{{
          eachCandidate.untreated
            ? `gives nothing for ${plural(eachCandidate.untreated, 'value')}`
            : 'treats every value'
        }}</span>
      </label>
      <template v-if="data?.questions.length && candidates.length > 1">
        <h3>They disagree here: which is right?</h3>
        <table class="lines" aria-label="Where formulas disagree">
          <tbody>
            <tr v-for="question in data.questions.slice(0, 4)" :key="question.record">
              <td v-for="(value, i) in question.values" :key="i" class="value">
                <DataValue :value="value" />
              </td>
              <td v-for="(result, i) in [...new Set(question.results)]" :key="`r${i}`">
                <button
                  type="button"
                  class="door"
                  :aria-pressed="question.results[chosen] === result"
                  :disabled="stale"
                  @click="settle(question, result)"
                >
                  {{ result ?? 'nothing' }}
                </button>
              </td>
              <td class="num soft">{{ plural(question.times, 'record') }}</td>
            </tr>
          </tbody>
        </table>
      </template>
      <div class="acts">
        <button class="btn main" :disabled="!ready">Add rule</button>
        <button type="button" class="btn" @click="emit('leave')">Cancel</button>
      </div>
      <template v-if="candidate">
        <h3>
          What it gives for
          {{
            candidate.different > results.length
              ? `${count(results.length)} of all ${count(candidate.different)}`
              : `all ${count(candidate.different)}`
          }}
          distinct values
        </h3>
        <table class="lines" aria-label="Results">
          <tbody>
            <tr v-for="row in results" :key="row.record">
              <td v-for="(value, i) in row.values" :key="i" class="value"><DataValue :value="value" /></td>
              <td class="value"><DataValue :value="row.result" /></td>
              <td class="num soft">{{ count(row.times) }}</td>
            </tr>
          </tbody>
        </table>
      </template>
    </template>
    <div v-else class="acts"><button type="button" class="btn" @click="emit('leave')">Cancel</button></div>
  </form>
</template>

<style scoped>
h2 {
  font-size: 14px;
}
h3 {
  margin: 14px 0 4px;
  font-size: 13px;
  font-weight: 650;
}
.form {
  display: grid;
  grid-template-columns: 128px minmax(0, 1fr);
  gap: 7px 10px;
  align-items: baseline;
  margin: 10px 0;
}
.form label {
  color: var(--soft);
}
.pick {
  border-bottom: 1px solid var(--faint);
}
.pick :deep(.ant-select-selection-item) {
  font: 12.5px var(--mono);
}
.value {
  max-width: 170px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.candidate {
  display: grid;
  grid-template-columns: 18px minmax(0, 1fr) auto;
  gap: 6px;
  align-items: baseline;
  border-bottom: 1px solid var(--hair2);
  padding: 4px 0;
  cursor: pointer;
}
code {
  font: 12.5px var(--mono);
  overflow-wrap: anywhere;
}
.acts {
  display: flex;
  gap: 8px;
  margin-top: 12px;
}
</style>
