<script setup lang="ts">
/** The sheet of one column: counts, distribution, values or shapes, statistics. Every count is a door. */
import type { Schemas } from '@/api/client'
import { recordsLink, type Filter } from '@/features/records'
import { usePerson } from '@/features/session'
import { useDelivery } from '@/features/delivery'
import { count, DataValue, exactly, measure, StateNote } from '@/shared'
import { computed, ref, watch } from 'vue'
import { useRoute } from 'vue-router'
import type { Listed } from '../logic/findings'
import { misfitFilter } from '../logic/misfits'
import { doorOf, futureDoor, momentDoor, partDoor, rangeDoor } from '../logic/bars'
import BigBars from './BigBars.vue'
import ColumnKind from './ColumnKind.vue'
import FindingCard from './FindingCard.vue'
import RangePick from './RangePick.vue'
import RhythmBars from './RhythmBars.vue'
import SplitTable from './SplitTable.vue'
import StatList from './StatList.vue'
import ValueBars from './ValueBars.vue'
import WordList from './WordList.vue'

const props = defineProps<{
  column: Schemas['ColumnProfile']
  columns: Schemas['ColumnProfile'][]
  findings: Listed[]
  methodOf: (kind: string) => string
  busy: boolean
  error: unknown
  records: number
  place: number
  of: number
  isLeft?: boolean
}>()
const emit = defineEmits<{
  step: [by: number]
  decide: [what: 'accept' | 'dismiss' | 'reopen', one: Listed, reason?: string]
}>()
const open = computed(() => props.findings.filter((finding) => finding.state === 'open'))
const settled = computed(() => props.findings.filter((finding) => finding.state !== 'open'))
const route = useRoute()
const { mayWork } = usePerson()
const { id, delivery } = useDelivery()
/** Its values may not be seen by this person: only how many there are is told. */
const isMasked = computed(() => Boolean(delivery.value?.masked?.includes(props.column.name)))
type Face = 'values' | 'shapes' | 'words' | 'characters'
/** What stands in the list: where all values are different, their shapes tell more. */
const usual = computed<Face>(() =>
  props.column.distinct > 50 && (props.column.values[0]?.count ?? 0) === 1 ? 'shapes' : 'values',
)
const chosenFace = ref<Face>()
const face = computed(() => chosenFace.value ?? usual.value)
const bySize = ref(false)
const range = ref<[string, string]>(['', ''])
watch(
  () => props.column.name,
  () => ((chosenFace.value = undefined), (bySize.value = false), (range.value = ['', ''])),
)
const FACES: Face[] = ['values', 'shapes', 'words', 'characters']
const faces = computed(() => (props.column.text ? FACES : FACES.slice(0, 2)))
const drawn = computed(() => (bySize.value && props.column.by_size) || props.column.distribution)
const on = (test: string, value = ''): Filter[] => [{ on: 'column', name: props.column.name, test, value }]
const door = (filters: Filter[]) => recordsLink(route, null, filters)
const counts = computed(() => {
  const { kinds } = props.column
  const doors: [string, number, Filter[]][] = [
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
      doors.push([kind === 'missing token' ? 'like “n/a”' : `as ${kind}`, kinds[kind], on('reads as', kind)])
  }
  if (props.column.misfits) doors.push(['do not fit', props.column.misfits, [misfitFilter(props.column)]])
  return doors
})
const bars = computed(() =>
  (face.value === 'values' ? props.column.values : props.column.shapes)
    .slice(0, 14)
    .map((bar) => ({ ...bar, to: door(on(face.value === 'values' ? 'is' : 'shape', bar.value)) })),
)
const stat = (label: string, value: string | number | null | undefined, filters?: Filter[]) => ({
  label,
  value: typeof value === 'string' ? value : measure(value),
  ...(filters ? { to: door(filters) } : {}),
})
const numbers = computed(() => {
  const n = props.column.numbers
  if (!n) return []
  return [
    stat('minimum', exactly(n.minimum)), stat('maximum', exactly(n.maximum)), stat('mean', n.mean), stat('median', n.median),
    stat('std. deviation', n.standard_deviation), stat('variance', n.variance),
    stat('skewness', n.skewness), stat('kurtosis', n.kurtosis),
    stat('1 % below', n.quantiles['0.01']), stat('99 % below', n.quantiles['0.99']),
    stat('5 % below', n.quantiles['0.05']), stat('95 % below', n.quantiles['0.95']),
    stat('quarter below', n.quantiles['0.25']), stat('quarter above', n.quantiles['0.75']),
    stat('sum', exactly(n.total)), stat('zero', n.zero, on('between').map((item) => ({ ...item, values: ['0', '0'] }))),
    stat('positive', n.positive, on('above', '0')), stat('negative', n.negative, on('below', '0')),
    ...(n.positive && n.negative
      ? [stat('positive sum', exactly(n.positive_total)), stat('negative sum', exactly(n.negative_total))]
      : []),
  ] // prettier-ignore
})
const dates = computed(() => {
  const d = props.column.dates
  if (!d) return []
  return [
    stat('first', d.first, momentDoor(props.column, d.first)),
    stat('last', d.last, momentDoor(props.column, d.last)),
    ...(d.future ? [stat('in the future', d.future, futureDoor(props.column))] : []),
  ]
})
/** How the dates lie over years, months, days of the week and hours. */
const rhythm = computed(() => {
  const d = props.column.dates
  const rhythms = d
    ? ([['year', d.by_year], ['month', d.by_month], ['weekday', d.by_weekday], ['hour', d.by_hour]] as const)
    : [] // prettier-ignore
  return rhythms.filter(([, parts]) => parts.length > 1)
})
/** A part of a rhythm by name. */
function partName(part: string, value: string): string {
  const at = Number(value)
  if (part === 'weekday') return ['Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat', 'Sun'][at - 1] ?? ''
  if (part === 'month')
    return ['Jan', 'Feb', 'Mar', 'Apr', 'May', 'Jun', 'Jul', 'Aug', 'Sep', 'Oct', 'Nov', 'Dec'][at - 1] ?? ''
  return value
}
const texts = computed(() => {
  const t = props.column.text
  if (!t) return []
  return [
    stat('shortest', t.shortest), stat('longest', t.longest),
    stat('mean length', t.mean_length), stat('mean words', t.mean_words),
    stat('mean letters', t.mean_letters), stat('outer spaces', t.outer_spaces, on('outer spaces')),
    stat('invisible marks', t.invisible, on('invisible marks')),
  ] // prettier-ignore
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
    <ColumnKind v-if="!isLeft" :column="column" />
    <p v-else class="soft">{{ column.type }}, {{ column.role }}</p>

    <h3>Counts</h3>
    <StatList
      :rows="[
        ...counts.map(([label, n, filters]) => ({
          label,
          value: count(n),
          ...(isMasked && filters.length ? {} : { to: door(filters) }),
        })),
        { label: 'distinct', value: count(column.distinct) },
      ]"
    />
    <p v-if="column.misfit_examples.length" class="misfits">
      <span class="soft">Do not fit:</span>
      <template v-for="(example, i) in column.misfit_examples.slice(0, 6)" :key="example.value"
        >{{ i ? ', ' : ' '
        }}<RouterLink class="door" :to="door(on('is', example.value))"
          ><DataValue :value="example.value" /></RouterLink
        ><span class="soft mono times">{{ count(example.count) }}</span></template
      >
    </p>

    <template v-if="column.distribution.of !== 'values' && column.distribution.bins.length">
      <h3 class="faces">
        <span>Distribution</span>
        <template v-if="column.by_size">
          <button type="button" class="link" :aria-pressed="!bySize" @click="bySize = false">
            even steps
          </button>
          <button type="button" class="link" :aria-pressed="bySize" @click="bySize = true">by size</button>
        </template>
      </h3>
      <BigBars
        :distribution="drawn"
        :door="(bar, isLast) => door(doorOf(column, bar, drawn.of, isLast))"
        @range="(low, high) => (range = [low, high])"
      />
      <RangePick
        :key="column.name"
        v-model="range"
        :of="drawn.of"
        :door="(low, high) => door(rangeDoor(column, drawn.of, low, high))"
      />
    </template>
    <p v-if="isMasked" class="soft told">
      Its values may only be seen masked, so what is made of them is not shown to you.
    </p>
    <template v-else>
      <SplitTable v-if="columns.length && records" :id="id" :column="column" :columns="columns" />

      <h3 class="faces">
        <button
          v-for="eachFace in faces"
          :key="eachFace"
          type="button"
          class="link"
          :aria-pressed="face === eachFace"
          @click="chosenFace = eachFace"
        >
          {{ eachFace[0]?.toUpperCase() }}{{ eachFace.slice(1) }}
        </button>
      </h3>
      <WordList v-if="face === 'words' || face === 'characters'" :id="id" :column="column.name" :of="face" />
      <ValueBars v-else :rows="bars" :plain="face === 'shapes'" />
      <p v-if="face === 'values' && column.distinct > bars.length" class="soft">
        and {{ count(column.distinct - bars.length) }} more
      </p>
    </template>

    <section v-if="findings.length" class="findings" aria-label="Findings of the column">
      <StateNote :error="error" />
      <FindingCard
        v-for="(item, i) in [...open, ...settled]"
        :key="item.finding.id"
        :listed="item"
        :method="methodOf(item.finding.kind)"
        :may-work="mayWork"
        :busy="busy"
        :keys="i === 0 && item.state === 'open'"
        @accept="emit('decide', 'accept', item)"
        @dismiss="(reason) => emit('decide', 'dismiss', item, reason)"
        @reopen="emit('decide', 'reopen', item)"
      />
    </section>

    <template v-if="numbers.length">
      <h3>
        As numbers <span class="mono">{{ count(column.numbers?.count ?? 0) }}</span>
      </h3>
      <StatList :rows="numbers" />
    </template>
    <template v-if="column.dates">
      <h3>
        As dates <span class="mono">{{ count(column.dates.count) }}</span>
      </h3>
      <StatList :rows="dates" />
      <dl v-if="rhythm.length" class="rhythm">
        <template v-for="[part, parts] in rhythm" :key="part">
          <dt>{{ part }}</dt>
          <dd>
            <RhythmBars
              :label="part"
              :parts="parts"
              :name="(value) => partName(part, value)"
              :door="(value) => door(partDoor(column, part, value))"
            />
          </dd>
        </template>
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
      <StatList :rows="texts" />
    </template>
    <p v-if="mayWork" class="act">
      <RouterLink class="btn" :to="{ name: 'rules', params: route.params, query: { add: column.name } }"
        >Add a rule for this column</RouterLink
      >
    </p>
  </aside>
</template>

<style scoped>
.told {
  margin: 10px 0;
}
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
.rhythm {
  display: grid;
  grid-template-columns: 52px 1fr;
  gap: 3px 8px;
  margin: 6px 0;
}
.rhythm dt {
  color: var(--soft);
  font-size: 12px;
}
.rhythm dd {
  margin: 0;
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
.act {
  margin-top: 16px;
}
</style>
