<script setup lang="ts">
/** The sheet of one column: counts, distribution, values or shapes, statistics. Every count is a door. */
import type { Schemas } from '@/api/client'
import { doorTo, type Filter } from '@/features/records'
import { usePerson } from '@/features/session'
import { count, DataValue, measure, share, StateNote } from '@/shared'
import { computed, ref } from 'vue'
import { useRoute } from 'vue-router'
import type { Listed } from '../logic/findings'
import { misfitFilter } from '../logic/misfits'
import BigBars from './BigBars.vue'
import FindingCard from './FindingCard.vue'

const props = defineProps<{
  column: Schemas['ColumnProfile']
  findings: Listed[]
  methodOf: (kind: string) => string
  busy: boolean
  error: unknown
  records: number
  place: number
  of: number
}>()
const emit = defineEmits<{
  step: [by: number]
  decide: [what: 'accept' | 'dismiss' | 'reopen', one: Listed, reason?: string]
}>()
const open = computed(() => props.findings.filter((one) => one.state === 'open'))
const settled = computed(() => props.findings.filter((one) => one.state !== 'open'))
const route = useRoute()
const { mayWork } = usePerson()
const face = ref<'values' | 'shapes'>('values')
const on = (test: string, value = ''): Filter[] => [{ on: 'column', name: props.column.name, test, value }]
const door = (filters: Filter[]) => doorTo(route, null, filters)
const counts = computed(() => {
  const { kinds } = props.column
  const found: [string, number, Filter[]][] = [
    ['records', props.records, []],
    ['missing', props.column.missing, on('missing')],
  ]
  for (const kind of [
    'missing token',
    'whole number',
    'decimal',
    'decimal comma',
    'date',
    'date-time',
    'true/false',
    'text',
  ]) {
    if (kinds[kind])
      found.push([kind === 'missing token' ? 'like “n/a”' : `as ${kind}`, kinds[kind], on('reads as', kind)])
  }
  if (props.column.misfits) found.push(['do not fit', props.column.misfits, [misfitFilter(props.column)]])
  return found
})
const bars = computed(() =>
  (face.value === 'values' ? props.column.values : props.column.shapes).slice(0, 14),
)
const most = computed(() => Math.max(1, ...bars.value.map((bar) => bar.count)))
const numbers = computed(() => {
  const n = props.column.numbers
  if (!n) return []
  return [
    ['minimum', n.minimum], ['maximum', n.maximum], ['mean', n.mean], ['median', n.median],
    ['std. deviation', n.standard_deviation], ['variance', n.variance], ['skewness', n.skewness], ['kurtosis', n.kurtosis],
    ['5 % below', n.quantiles['0.05']], ['95 % below', n.quantiles['0.95']], ['quarter below', n.quantiles['0.25']],
    ['quarter above', n.quantiles['0.75']], ['sum', n.total], ['positive', n.positive], ['negative', n.negative], ['zero', n.zero],
  ] as [string, number | null][] // prettier-ignore
})
</script>

<template>
  <aside class="sheet" tabindex="0" :aria-label="`Column ${column.name}`">
    <div class="top">
      <h2>{{ column.name }}</h2>
      <span class="soft"
        >{{ place }} of {{ of }}
        <button type="button" class="step" aria-label="previous column" @click="$emit('step', -1)">
          <kbd>k</kbd>
        </button>
        <button type="button" class="step" aria-label="next column" @click="$emit('step', 1)">
          <kbd>j</kbd>
        </button></span
      >
    </div>
    <p class="soft">
      {{ column.type }}, {{ column.role }}: {{ share(column.fits, column.fits + column.misfits) }} of its
      values fit
    </p>

    <h3>Counts</h3>
    <dl class="stat">
      <template v-for="[label, n, filters] in counts" :key="label">
        <dt>{{ label }}</dt>
        <dd>
          <RouterLink class="door" :to="door(filters)">{{ count(n) }}</RouterLink>
        </dd>
      </template>
      <dt>different</dt>
      <dd>{{ count(column.distinct) }}</dd>
    </dl>
    <p v-if="column.misfit_examples.length" class="misfits">
      <span class="soft">Do not fit:</span>
      <template v-for="(one, i) in column.misfit_examples.slice(0, 6)" :key="one.value"
        >{{ i ? ', ' : ' '
        }}<RouterLink class="door" :to="door(on('is', one.value))"
          ><DataValue :value="one.value" /></RouterLink
        ><span class="soft mono times">{{ count(one.count) }}</span></template
      >
    </p>

    <template v-if="column.distribution.of !== 'values' && column.distribution.bins.length">
      <h3>Distribution</h3>
      <BigBars :distribution="column.distribution" />
    </template>

    <h3 class="faces">
      <button type="button" class="link" :aria-pressed="face === 'values'" @click="face = 'values'">
        Values
      </button>
      <button type="button" class="link" :aria-pressed="face === 'shapes'" @click="face = 'shapes'">
        Shapes
      </button>
    </h3>
    <table class="lines values">
      <tbody>
        <tr v-for="bar in bars" :key="bar.value">
          <td class="value" :title="bar.value">
            <DataValue v-if="face === 'values'" :value="bar.value" /><span v-else class="mono">{{
              bar.value
            }}</span>
          </td>
          <td class="track"><u :style="{ width: `${(100 * bar.count) / most}%` }"></u></td>
          <td class="num">
            <RouterLink class="door" :to="door(on(face === 'values' ? 'is' : 'shape', bar.value))">{{
              count(bar.count)
            }}</RouterLink>
          </td>
        </tr>
      </tbody>
    </table>
    <p v-if="face === 'values' && column.distinct > bars.length" class="soft">
      and {{ count(column.distinct - bars.length) }} more
    </p>

    <section v-if="findings.length" class="findings" aria-label="Findings of the column">
      <StateNote :error="error" />
      <FindingCard
        v-for="(one, i) in [...open, ...settled]"
        :key="one.finding.id"
        :one="one"
        :method="methodOf(one.finding.kind)"
        :may-work="mayWork"
        :busy="busy"
        :keys="i === 0 && one.state === 'open'"
        @accept="emit('decide', 'accept', one)"
        @dismiss="(reason) => emit('decide', 'dismiss', one, reason)"
        @reopen="emit('decide', 'reopen', one)"
      />
    </section>

    <template v-if="numbers.length">
      <h3>
        As numbers <span class="mono">{{ count(column.numbers?.count ?? 0) }}</span>
      </h3>
      <dl class="stat">
        <template v-for="[label, value] in numbers" :key="label">
          <dt>{{ label }}</dt>
          <dd>{{ measure(value) }}</dd>
        </template>
      </dl>
    </template>
    <template v-if="column.dates">
      <h3>
        As dates <span class="mono">{{ count(column.dates.count) }}</span>
      </h3>
      <dl class="stat">
        <dt>first</dt>
        <dd>{{ column.dates.first }}</dd>
        <dt>last</dt>
        <dd>{{ column.dates.last }}</dd>
      </dl>
      <p>
        <span class="soft">Written as </span>
        <template v-for="(form, i) in column.dates.formats" :key="form.value"
          >{{ i ? ', ' : '' }}<span class="mono">{{ form.value }}</span>
          <span class="mono soft">{{ count(form.count) }}</span></template
        >
      </p>
    </template>
    <template v-if="column.text">
      <h3>As text</h3>
      <dl class="stat">
        <dt>shortest</dt>
        <dd>{{ measure(column.text.shortest) }}</dd>
        <dt>longest</dt>
        <dd>{{ measure(column.text.longest) }}</dd>
        <dt>outer spaces</dt>
        <dd>
          <RouterLink class="door" :to="door(on('outer spaces'))">{{
            count(column.text.outer_spaces)
          }}</RouterLink>
        </dd>
        <dt>invisible marks</dt>
        <dd>
          <RouterLink class="door" :to="door(on('invisible marks'))">{{
            count(column.text.invisible)
          }}</RouterLink>
        </dd>
      </dl>
    </template>
    <p v-if="mayWork" class="act">
      <RouterLink class="btn" :to="{ name: 'rules', params: route.params, query: { add: column.name } }"
        >Add a rule for this column</RouterLink
      >
    </p>
  </aside>
</template>

<style scoped>
.top {
  display: flex;
  gap: 10px;
  align-items: baseline;
  justify-content: space-between;
}
h2 {
  font: 600 15px var(--mono);
  overflow-wrap: anywhere;
}
h3 {
  margin: 13px 0 4px;
  color: var(--soft);
  font-size: 12px;
  font-weight: 500;
}
.step {
  border: 0;
  padding: 0 1px;
  background: none;
  cursor: pointer;
}
.stat {
  display: grid;
  grid-template-columns: auto 1fr auto 1fr;
  gap: 1px 12px;
  margin: 0;
}
dt {
  color: var(--soft);
  font-size: 12px;
}
dd {
  margin: 0;
  font: 500 12px var(--mono);
  text-align: right;
}
dd .door {
  font: inherit;
}
.findings {
  margin-top: 12px;
  border-top: 1px solid var(--ink);
}
.misfits {
  margin-top: 5px;
}
.times {
  margin-left: 6px;
}
.faces {
  display: flex;
  gap: 12px;
}
.faces [aria-pressed='true'] {
  color: var(--ink);
  font-weight: 650;
}
.values td {
  height: 20px;
  border: 0;
  padding: 0 6px 0 0;
}
.value {
  max-width: 170px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.track {
  width: 110px;
}
u {
  display: block;
  height: 8px;
  min-width: 1px;
  background: var(--bar2);
}
.act {
  margin-top: 16px;
}
</style>
