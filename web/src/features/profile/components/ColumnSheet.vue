<script setup lang="ts">
/** The sheet of one column: counts, distribution, values or shapes, statistics. Every count is a door. */
import type { Schemas } from '@/api/client'
import { recordsLink, type Filter } from '@/features/records'
import { usePerson } from '@/features/session'
import { useDelivery } from '@/features/delivery'
import { count, DataValue, StateNote } from '@/shared'
import { computed, ref, watch } from 'vue'
import { useRoute } from 'vue-router'
import type { Listed } from '../logic/findings'
import { doorOf, rangeDoor } from '../logic/bars'
import {
  asDates, asNumbers, asText, countsOf, onColumn, type Measure,
} from '../logic/measures' // prettier-ignore
import BigBars from './BigBars.vue'
import ColumnDates from './ColumnDates.vue'
import ColumnKind from './ColumnKind.vue'
import FindingCard from './FindingCard.vue'
import RangePick from './RangePick.vue'
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
const door = (filters: Filter[]) => recordsLink(route, null, filters)
/** Measures with the door to their records. */
const opening = (measures: Measure[]) =>
  measures.map(({ label, value, filters }) => ({ label, value, ...(filters ? { to: door(filters) } : {}) }))
const counts = computed(() => opening(countsOf(props.column, props.records, isMasked.value)))
const numbers = computed(() => opening(asNumbers(props.column)))
const dates = computed(() => opening(asDates(props.column)))
const texts = computed(() => opening(asText(props.column)))
const bars = computed(() =>
  (face.value === 'values' ? props.column.values : props.column.shapes).slice(0, 14).map((bar) => ({
    ...bar,
    to: door(onColumn(props.column, face.value === 'values' ? 'is' : 'shape', bar.value)),
  })),
)
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
    <StatList :rows="counts" />
    <p v-if="column.misfit_examples.length" class="misfits">
      <span class="soft">Do not fit:</span>
      <template v-for="(example, i) in column.misfit_examples.slice(0, 6)" :key="example.value"
        >{{ i ? ', ' : ' '
        }}<RouterLink class="door" :to="door(onColumn(column, 'is', example.value))"
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
    <ColumnDates v-if="column.dates" :column="column" :of="column.dates" :rows="dates" :door="door" />
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
.act {
  margin-top: 16px;
}
</style>
