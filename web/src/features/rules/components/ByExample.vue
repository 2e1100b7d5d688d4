<script setup lang="ts">
/** A rule from wanted results: they are typed for a few records, all others are shown, doubts are asked about. */
import { count, DataValue, plural, StateNote } from '@/shared'
import Themed from '@/shared/antd/Themed.vue'
import { Select } from 'ant-design-vue'
import { computed, ref, watch } from 'vue'
import { ruleOf, useByExample } from '../logic/byExample'
import type { Rule } from '../logic/rulebook'
import ExampleRecords from './ExampleRecords.vue'

const props = defineProps<{ delivery: number; rules: Rule[]; columns: string[]; column?: string }>()
const emit = defineEmits<{
  make: [rule: Record<string, unknown> & { kind: string }]
  leave: []
}>()
const {
  columns: looked, wanted, chosen, search, examples, data, error, stale, ways, way, records, questions, gives, want, pin, settle, done,
} = useByExample(props) // prettier-ignore
const into = ref(props.column ? `${props.column}_new` : 'result')
const opened = ref(false)
watch(looked, (now) => {
  if (now.length && into.value === 'result') into.value = `${now[0]}_new`
})
const ready = computed(() => Boolean(way.value && (way.value.lookup || into.value.trim()) && !stale.value))
function make(): void {
  if (!ready.value || !way.value) return
  const rule = ruleOf(way.value, into.value.trim())
  done()
  emit('make', rule)
}
/** A record of the results becomes an example, and the cursor goes there. */
function correct(record: number): void {
  pin(record)
  asked.value = record
}
const asked = ref<number>()
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
    <ExampleRecords
      v-if="looked.length && data"
      v-model:search="search"
      v-model:at="asked"
      :columns="looked"
      :records="records"
      :wanted="wanted"
      :gives="way ? gives : undefined"
      @want="want"
    />
    <p v-if="examples.length && data && !ways.length && !stale" role="status">
      <b>No formula gives these results.</b>
      <span class="soft">Look at more columns, correct an example, or write the formula yourself.</span>
    </p>
    <p v-if="stale && examples.length" class="soft" role="status">looking for formulas …</p>
    <template v-if="ways.length">
      <h3>Ways to make them, the likeliest first</h3>
      <label v-for="each in ways" :key="each.key" class="candidate">
        <input
          type="radio"
          name="candidate"
          :value="each.key"
          :checked="each === way"
          @change="chosen = each.key"
        />
        <span v-if="each.lookup?.code_list">
          Map {{ each.lookup.column }} by the code list <b>{{ each.lookup.code_list }}</b>
        </span>
        <span v-else-if="each.lookup">
          Look up {{ each.lookup.take }} in <b>{{ each.lookup.table }}</b>, where {{ each.lookup.key }} is
          {{ each.lookup.column }}
        </span>
        <code v-else>{{ each.key }}</code>
        <span class="soft">{{
          !each.untreated
            ? 'treats every value'
            : each.keeps
              ? `${plural(each.untreated, 'value')} not listed: as they are`
              : `gives nothing for ${plural(each.untreated, 'value')}`
        }}</span>
      </label>
      <template v-if="questions.length">
        <h3>They disagree here: which is right?</h3>
        <table class="lines" aria-label="Where formulas disagree">
          <tbody>
            <tr v-for="question in questions" :key="question.record">
              <td v-for="(value, i) in question.values" :key="i" class="value">
                <DataValue :value="value" />
              </td>
              <td v-for="(result, i) in [...new Set(question.results)]" :key="`r${i}`">
                <button type="button" class="door" :disabled="stale" @click="settle(question, result)">
                  {{ result ?? 'no value' }}
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
      <template v-if="way">
        <h3>
          What it gives for
          {{
            way.different > way.rows.length
              ? `${count(way.rows.length)} of all ${count(way.different)}`
              : `all ${count(way.different)}`
          }}
          distinct values
        </h3>
        <table class="lines" aria-label="Results">
          <tbody>
            <tr v-for="(row, at) in way.rows" :key="at">
              <td v-for="(value, i) in row.values" :key="i" class="value"><DataValue :value="value" /></td>
              <td class="value"><DataValue :value="row.result" /></td>
              <td class="num soft">{{ count(row.times) }}</td>
              <td class="act">
                <button
                  type="button"
                  class="door"
                  :aria-label="`Correct the result of record ${row.record}`"
                  @click="correct(row.record)"
                >
                  correct
                </button>
              </td>
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
.act {
  text-align: right;
  font-size: 11.5px;
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
