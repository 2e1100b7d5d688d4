<script setup lang="ts">
/** Two tables beside each other, most changed column first: another delivery, or before and after the rules. */
import { api, unwrap, type Schemas } from '@/api/client'
import { useAddress } from '@/app/address'
import { useKeys } from '@/app/keys'
import { count, DataValue, day, exactly, measure, MiniBars, share, StateNote } from '@/shared'
import { useQuery } from '@tanstack/vue-query'
import { computed, nextTick } from 'vue'
import { useAnalysis } from '@/features/delivery'

const props = defineProps<{ delivery: Schemas['WorkspaceOut']; after?: Schemas['TableAfterOut'] }>()
const { query, ask } = useAddress()
const deliveries = useQuery({
  queryKey: ['deliveries', computed(() => props.delivery.feed.slug)],
  queryFn: () =>
    unwrap(api.GET('/api/feeds/{slug}', { params: { path: { slug: props.delivery.feed.slug } } })),
})
const others = computed(() =>
  (deliveries.data.value?.deliveries ?? []).filter(
    (eachDelivery) => eachDelivery.id !== props.delivery.id && eachDelivery.state === 'read',
  ),
)
const beside = computed(() => {
  const asked = String(query.value.beside ?? '')
  if (props.after && (!asked || asked === 'table')) return 'table'
  if (asked === 'rules' || others.value.some((other) => String(other.id) === asked)) return asked
  if (props.delivery.speaking) return 'rules'
  const latestFirst = [...others.value].sort((a, b) => b.number - a.number)
  const former = latestFirst.find((item) => item.number < props.delivery.number)
  return String((former ?? latestFirst[0])?.id ?? '')
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
const sides = computed(() =>
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
  if (!name) return
  ask({ column: name })
  void nextTick(() => document.querySelector('.register tr.on')?.scrollIntoView({ block: 'nearest' }))
}
function step(by: number): void {
  const at = columns.value.findIndex((column) => column === chosen.value) + by
  choose(columns.value[Math.max(0, Math.min(columns.value.length - 1, at))]?.name)
}
useKeys({ j: () => step(1), k: () => step(-1) })
/** The usual reading of the index (Siddiqi 2006). */
function word(compared: Schemas['ColumnChange']): string {
  if (!compared.first) return `only ${sides.value[1]}`
  if (!compared.second) return `only ${sides.value[0]}`
  const change = compared.stability ?? 0
  return change === 0 ? 'alike' : change < 0.1 ? 'steady' : change < 0.25 ? 'shifted' : 'changed'
}
const fixed = (value: number | null | undefined, digits: number) => value?.toFixed(digits) ?? ''
const gone = (of: Schemas['ColumnProfile'] | null | undefined) =>
  of ? of.missing + (of.kinds['missing token'] ?? 0) : undefined
/** The measures of the chosen column, on either side. */
const FACTS: [string, (of: Schemas['ColumnProfile']) => string | number | null | undefined][] = [
  ['type', (of) => of.type],
  ['do not fit', (of) => of.misfits],
  ['minimum', (of) => of.numbers && exactly(of.numbers.minimum)],
  ['median', (of) => of.numbers?.median],
  ['mean', (of) => of.numbers?.mean],
  ['maximum', (of) => of.numbers && exactly(of.numbers.maximum)],
  ['std. deviation', (of) => of.numbers?.standard_deviation],
  ['first', (of) => of.dates?.first],
  ['last', (of) => of.dates?.last],
  ['longest text', (of) => of.text?.longest],
]
const facts = computed(() => {
  const { first, second } = chosen.value ?? {}
  const shown = (value: string | number | null | undefined) =>
    typeof value === 'number' ? measure(value) : (value ?? '')
  return FACTS.map(
    ([label, of]) => [label, shown(first && of(first)), shown(second && of(second))] as const,
  ).filter(([, a, b]) => a || b)
})
/** The classes drawn small: those of numbers and dates in their order, of texts the most frequent. */
const drawn = (change: Schemas['ColumnChange'], side: 'first' | 'second') =>
  change.classes.slice(0, 13).map((part) => part[side])
const records = computed(() => [
  comparison.data.value?.first_records ?? 0,
  comparison.data.value?.second_records ?? 0,
])
const most = computed(() =>
  Math.max(
    0.001,
    ...(chosen.value?.classes ?? []).flatMap((part) => [
      part.first / (records.value[0] || 1),
      part.second / (records.value[1] || 1),
    ]),
  ),
)
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
        >{{ count(records[0]!) }} records {{ sides[0] }}, {{ count(records[1]!) }} {{ sides[1] }}</span
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
      v-if="!beside"
      empty="There is nothing to compare this delivery with yet. Run or try the rules, or wait for the next delivery of the feed."
    />
    <StateNote :loading="comparison.busy.value && !comparison.data.value" :error="comparison.error.value" />
    <table v-if="columns.length" class="lines choices">
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
          <td class="num">{{ fixed(column.stability, 3) }}</td>
          <td :class="{ strong: (column.stability ?? 1) >= 0.1 }">{{ word(column) }}</td>
          <td class="num soft" :title="column.p_value == null ? '' : `p ${measure(column.p_value)}`">
            {{ column.statistic == null ? '' : measure(Number(column.statistic.toPrecision(3))) }}
          </td>
          <td><MiniBars :counts="drawn(column, 'first')" :width="64" /></td>
          <td><MiniBars :counts="drawn(column, 'second')" :width="64" /></td>
          <td class="num">{{ gone(column.first) === undefined ? '' : count(gone(column.first)!) }}</td>
          <td class="num">{{ gone(column.second) === undefined ? '' : count(gone(column.second)!) }}</td>
          <td class="num">{{ column.first ? count(column.first.distinct) : '' }}</td>
          <td class="num">{{ column.second ? count(column.second.distinct) : '' }}</td>
        </tr>
      </tbody>
    </table>
  </section>
  <aside v-if="chosen" class="sheet" tabindex="0" :aria-label="`Column ${chosen.name}`">
    <h2>{{ chosen.name }}</h2>
    <p class="soft">
      {{ word(chosen)
      }}<template v-if="chosen.stability != null">, stability index {{ fixed(chosen.stability, 4) }}</template
      ><template v-if="chosen.statistic != null"
        >; {{ chosen.test }} {{ measure(chosen.statistic) }}, p {{ measure(chosen.p_value) }}</template
      >
    </p>
    <table class="lines facts-of">
      <thead>
        <tr>
          <th></th>
          <th class="num">{{ sides[0] }}</th>
          <th class="num">{{ sides[1] }}</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="[label, first, second] in facts" :key="label">
          <td class="soft">{{ label }}</td>
          <td class="num" :class="{ strong: first !== second }">{{ first }}</td>
          <td class="num" :class="{ strong: first !== second }">{{ second }}</td>
        </tr>
      </tbody>
    </table>
    <table v-if="chosen.classes.length" class="lines">
      <thead>
        <tr>
          <th>Class</th>
          <th></th>
          <th class="num">{{ sides[0] }}</th>
          <th class="num">{{ sides[1] }}</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="part in chosen.classes" :key="part.label">
          <td class="mono value" :title="part.label"><DataValue :value="part.label" /></td>
          <td class="pair">
            <u :style="{ width: `${(100 * part.first) / (records[0] || 1) / most}%` }"></u
            ><u class="second" :style="{ width: `${(100 * part.second) / (records[1] || 1) / most}%` }"></u>
          </td>
          <td class="num" :title="share(part.first, records[0]!)">{{ count(part.first) }}</td>
          <td class="num" :title="share(part.second, records[1]!)">{{ count(part.second) }}</td>
        </tr>
      </tbody>
    </table>
    <p class="soft note">
      Change: population stability index, the sum of (p − q) ln(p / q) over the classes (Jeffreys 1946). Under
      0.1 it is called steady, under 0.25 shifted (Siddiqi 2006). Numbers and dates are classed by the tenths
      of the first table, texts by the fifty most frequent values of either.
    </p>
  </aside>
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
.facts-of {
  margin: 8px 0 12px;
}
.facts-of td:first-child {
  white-space: nowrap;
}
.value {
  max-width: 150px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
h2 {
  font: 600 15px var(--mono);
  overflow-wrap: anywhere;
}
.pair {
  width: 70px;
}
.pair u {
  display: block;
  height: 5px;
  min-width: 1px;
  background: var(--hair);
}
.pair .second {
  background: var(--bar);
}
.note {
  margin-top: 10px;
  font-size: 12px;
}
</style>
