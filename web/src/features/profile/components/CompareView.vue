<script setup lang="ts">
/** Two tables beside each other, most changed column first: another delivery, or before and after the rules. */
import { api, unwrap, type Schemas } from '@/api/client'
import { useAddress } from '@/app/address'
import { useKeys } from '@/app/keys'
import { count, day, further, keepInSight, measure, MiniBars, StateNote } from '@/shared'
import { useQuery } from '@tanstack/vue-query'
import { computed, useTemplateRef } from 'vue'
import { useAnalysis } from '@/features/delivery'
import { isChanged, word, type Sides } from '../logic/compare'
import { missingIn } from '../logic/measures'
import ComparedColumn from './ComparedColumn.vue'

const props = defineProps<{ delivery: Schemas['WorkspaceOut']; after?: Schemas['TableAfterOut'] }>()
const { query, ask } = useAddress()
const deliveries = useQuery({
  queryKey: ['deliveries', computed(() => props.delivery.feed.slug), 'compared'],
  queryFn: () =>
    unwrap(
      api.GET('/api/deliveries', { params: { query: { feed: props.delivery.feed.slug, limit: 1000 } } }),
    ),
})
const others = computed(() =>
  (deliveries.data.value ?? []).filter(
    (eachDelivery) => eachDelivery.id !== props.delivery.id && eachDelivery.state === 'read',
  ),
)
const beside = computed(() => {
  const asked = String(query.value.beside ?? '')
  if (props.after && (!asked || asked === 'table')) return 'table'
  if (asked === 'rules' || others.value.some((other) => String(other.id) === asked)) return asked
  if (/^\d+$/.test(asked) && !deliveries.data.value) return '' // which there are is not known yet
  if (props.delivery.speaking) return 'rules'
  const former = others.value.find((item) => item.number < props.delivery.number)
  return String((former ?? others.value[0])?.id ?? '')
})
const isOther = computed(() => beside.value !== 'rules' && beside.value !== 'table')
const comparison = useAnalysis(
  computed(() => [
    'compare',
    props.delivery.id,
    beside.value,
    props.delivery.speaking,
    props.delivery.records,
    beside.value === 'table' ? props.after?.id : undefined,
  ]),
  () =>
    unwrap(
      api.POST('/api/deliveries/{delivery_id}/comparisons', {
        params: { path: { delivery_id: props.delivery.id } },
        body: {
          other: isOther.value ? Number(beside.value) : null,
          table: beside.value === 'table' ? props.after?.id : null,
        },
      }),
    ),
  (comparison_id) =>
    unwrap(api.GET('/api/comparisons/{comparison_id}', { params: { path: { comparison_id } } })),
  () => Boolean(beside.value) && !(beside.value === 'rules' && !props.delivery.speaking),
)
const sides = computed((): Sides =>
  !isOther.value
    ? ['as delivered', beside.value === 'table' ? `after rule ${props.after?.place}` : 'after the rules']
    : [
        `delivery ${others.value.find((other) => String(other.id) === beside.value)?.number ?? ''}`,
        'this delivery',
      ],
)
const columns = computed(() => comparison.data.value?.columns ?? [])
const chosen = computed(
  () => columns.value.find((eachColumn) => eachColumn.name === query.value.column) ?? columns.value[0],
)
function choose(name: string | undefined): void {
  if (name) ask({ column: name })
}
const step = (by: number) => choose(further(columns.value, chosen.value, by)?.name)
const table = useTemplateRef<HTMLElement>('table')
keepInSight(table, () => chosen.value?.name)
useKeys({ j: () => step(1), k: () => step(-1) })
const cell = (number: number | null | undefined) => (number == null ? '' : count(number))
/** The classes drawn small: those of numbers and dates in their order, of texts the most frequent. */
const drawn = (change: Schemas['ColumnChange'], side: 'first' | 'second') =>
  change.classes.slice(0, 13).map((part) => part[side])
const records = computed((): [number, number] => [
  comparison.data.value?.first_records ?? 0,
  comparison.data.value?.second_records ?? 0,
])
const typed = (event: Event) => (event.target as HTMLSelectElement).value
</script>

<template>
  <section class="register" tabindex="0" aria-label="Compare">
    <div class="tools">
      <label for="beside">Compare this delivery with</label>
      <select id="beside" class="field pick" :value="beside" @change="ask({ beside: typed($event) })">
        <option v-if="after" value="table">itself after rule {{ after.place }}</option>
        <option v-if="delivery.speaking" value="rules">itself after the rules</option>
        <option v-for="other in others" :key="other.id" :value="String(other.id)">
          delivery {{ other.number }}, {{ day(other.received) }}
        </option>
      </select>
      <span v-if="comparison.busy.value" role="status"
        >comparing, {{ Math.round(100 * comparison.share.value) }} %</span
      >
      <span v-else-if="comparison.data.value" class="soft"
        >{{ count(records[0]) }} records {{ sides[0] }}, {{ count(records[1]) }} {{ sides[1] }}</span
      >
      <span class="facts">
        <a
          v-if="comparison.id.value"
          :href="`/api/deliveries/${delivery.id}/report.html?beside=${comparison.id.value}`"
          target="_blank"
          rel="noopener"
          >As a report</a
        >
      </span>
    </div>
    <StateNote
      v-if="!beside && deliveries.data.value"
      empty="There is nothing to compare this delivery with yet. Run or try the rules, or wait for the next delivery of the feed."
    />
    <StateNote :loading="comparison.busy.value && !comparison.data.value" :error="comparison.error.value" />
    <table v-if="columns.length" ref="table" class="lines choices">
      <thead>
        <tr>
          <th>Column</th>
          <th class="num" title="Population stability index">Change</th>
          <th></th>
          <th class="num" title="Kolmogorov-Smirnov distance, or chi-squared over the classes">Statistic</th>
          <th>{{ sides[0] }}</th>
          <th>{{ sides[1] }}</th>
          <th class="num">Missing</th>
          <th class="num"></th>
          <th class="num">Distinct</th>
          <th class="num"></th>
        </tr>
      </thead>
      <tbody>
        <tr
          v-for="column in columns"
          :key="column.name"
          :class="{ on: column === chosen }"
          @click="choose(column.name)"
        >
          <td class="name">
            <button type="button" :title="column.name" :aria-pressed="column === chosen">
              {{ column.name }}
            </button>
          </td>
          <td class="num">{{ column.stability?.toFixed(3) }}</td>
          <td :class="{ strong: isChanged(column) }">{{ word(column, sides) }}</td>
          <td class="num soft" :title="column.p_value == null ? '' : `p ${measure(column.p_value)}`">
            {{ column.statistic == null ? '' : measure(Number(column.statistic.toPrecision(3))) }}
          </td>
          <td><MiniBars :counts="drawn(column, 'first')" :width="64" /></td>
          <td><MiniBars :counts="drawn(column, 'second')" :width="64" /></td>
          <td class="num">{{ cell(column.first && missingIn(column.first)) }}</td>
          <td class="num">{{ cell(column.second && missingIn(column.second)) }}</td>
          <td class="num">{{ cell(column.first?.distinct) }}</td>
          <td class="num">{{ cell(column.second?.distinct) }}</td>
        </tr>
      </tbody>
    </table>
  </section>
  <ComparedColumn v-if="chosen" :change="chosen" :sides="sides" :records="records" />
</template>

<style scoped>
.pick {
  width: auto;
  font-family: var(--sans);
}
.facts {
  margin-left: auto;
}
.strong {
  font-weight: 650;
}
</style>
