<script setup lang="ts">
/** The exact effect of the rule at hand on all records, as it stands in the form, before it is kept. */
import { api, unwrap, Problem, type Schemas } from '@/api/client'
import { count, DataValue, plural } from '@/shared'
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { refDebounced } from '@vueuse/core'
import { computed } from 'vue'
import { difference } from '../logic/difference'
import { headlineOf, restOf } from '../logic/effect'
import type { Rule } from '../logic/rulebook'

const props = defineProps<{
  delivery: number
  rules: Rule[]
  rule: Rule
  kind: Schemas['KindOut']
  isNew: boolean
}>()
const asked = computed(() => JSON.stringify([props.delivery, props.rule.id, props.rules]))
const settled = refDebounced(asked, 300)
const { data, error, isFetching } = useQuery({
  queryKey: ['effect-now', settled],
  queryFn: ({ signal }) =>
    unwrap(
      api.POST('/api/deliveries/{delivery_id}/effect', {
        params: { path: { delivery_id: props.delivery } },
        body: { rules: props.rules as never[], rule: props.rule.id },
        signal,
      }),
    ),
  placeholderData: keepPreviousData,
  retry: false,
  gcTime: 60_000,
})
const effect = computed(() => (error.value ? undefined : (data.value?.effect ?? undefined)))
const isCheck = computed(() => props.kind.is_check)
const headline = computed(() => (effect.value ? headlineOf(effect.value, props.kind) : ''))
const rest = computed(() => (effect.value ? restOf(effect.value, props.kind, props.rule) : ''))
const rows = computed(() =>
  (effect.value?.pairs ?? []).map((pair) => ({
    ...pair,
    differs: pair.before !== null && pair.after !== null ? difference(pair.before, pair.after) : null,
  })),
)
const several = computed(() => new Set(rows.value.map((row) => row.column)).size > 1)
const problem = computed(() => (error.value ? error.value.message : (data.value?.problem ?? '')))
const advice = computed(() =>
  error.value instanceof Problem ? error.value.advice : (data.value?.advice ?? ''),
)
/** Columns of the shown records that hold numbers only, with the greatest: groups are drawn as bars beside them. */
const greatest = computed(() =>
  (effect.value?.heads ?? []).map((_, at) => {
    const cells = (effect.value?.rows ?? []).map((row) => row.cells[at]).filter((cell) => cell != null)
    const numbers = cells.map(Number)
    return cells.length && numbers.every(Number.isFinite) ? Math.max(0, ...numbers) : null
  }),
)
const share = (cell: string | null | undefined, at: number) =>
  cell == null || !greatest.value[at] ? 0 : Math.max(0, (100 * Number(cell)) / (greatest.value[at] ?? 1))
</script>

<template>
  <section aria-label="Effect" :aria-busy="isFetching">
    <div class="head">
      <b v-if="effect" role="status">{{ headline }}</b>
      <span v-if="rest" class="soft">{{ rest }}</span>
      <span v-if="effect?.undone" class="soft"
        >{{ plural(effect.undone, 'cell') }} get back what an earlier rule changed</span
      >
      <span v-if="isFetching" class="soft">counting …</span>
    </div>
    <p v-if="problem" class="problem" :class="{ soft: isNew }" role="status">
      {{ problem }} <span class="soft">{{ advice }}</span>
    </p>
    <table v-if="rows.length" class="lines">
      <thead>
        <tr>
          <th v-if="several">Column</th>
          <th>{{ isCheck ? 'Value' : 'Before' }}</th>
          <th v-if="!isCheck">After</th>
          <th class="num">Times</th>
          <th class="num">First record</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="(row, i) in rows" :key="i">
          <td v-if="several" class="mono">{{ row.column }}</td>
          <template v-if="row.differs">
            <td class="value">
              <DataValue v-if="row.differs.start" :value="row.differs.start" /><del v-if="row.differs.before"
                ><DataValue :value="row.differs.before" /></del
              ><DataValue v-if="row.differs.end" :value="row.differs.end" />
            </td>
            <td class="value">
              <DataValue v-if="row.differs.start" :value="row.differs.start" /><ins v-if="row.differs.after"
                ><DataValue :value="row.differs.after" /></ins
              ><DataValue v-if="row.differs.end" :value="row.differs.end" />
            </td>
          </template>
          <template v-else>
            <td class="value"><DataValue :value="row.before" :was="!isCheck && row.before !== null" /></td>
            <td v-if="!isCheck" class="value"><DataValue :value="row.after" /></td>
          </template>
          <td class="num">{{ count(row.times) }}</td>
          <td class="num">{{ count(row.record) }}</td>
        </tr>
      </tbody>
    </table>
    <p v-if="effect && effect.different > rows.length" class="soft">
      The {{ count(rows.length) }} most frequent of {{ count(effect.different) }} distinct
      {{ isCheck ? 'values' : 'changes' }}.
    </p>
    <div v-if="effect?.rows.length" class="wide">
      <table class="lines">
        <thead>
          <tr>
            <th class="num">Record</th>
            <th v-for="(name, at) in effect.heads" :key="name" :class="{ num: greatest[at] !== null }">
              {{ name }}
            </th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="row in effect.rows" :key="row.record">
            <td class="num">{{ count(row.record) }}</td>
            <td
              v-for="(cell, i) in row.cells"
              :key="i"
              class="value"
              :class="{
                num: greatest[i] !== null,
                measured: rule.kind === 'summarise' && greatest[i] !== null,
              }"
            >
              <i
                v-if="rule.kind === 'summarise' && greatest[i] !== null"
                class="bar"
                aria-hidden="true"
                :style="{ width: `${share(cell, i)}%` }"
              ></i
              ><DataValue :value="cell" />
            </td>
          </tr>
        </tbody>
      </table>
    </div>
  </section>
</template>

<style scoped>
.head {
  display: flex;
  gap: 14px;
  align-items: baseline;
  min-height: 27px;
  margin-top: 12px;
  border-top: 1px solid var(--ink);
  padding: 7px 0 4px;
}
.problem {
  padding: 2px 0 6px;
}
.value {
  max-width: 240px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
del,
ins {
  text-decoration: none;
}
del {
  background: var(--hair);
  text-decoration: line-through;
}
ins {
  background: var(--wash);
  box-shadow: inset 0 -2px 0 var(--bar);
}
.measured {
  position: relative;
  min-width: 130px;
}
.bar {
  position: absolute;
  bottom: 1px;
  left: 0;
  height: 3px;
  background: var(--bar2);
}
.wide {
  overflow-x: auto;
}
</style>
