<script setup lang="ts">
/** One column of two tables beside each other: its measures and its classes. */
import type { Schemas } from '@/api/client'
import { count, DataValue, measure, share } from '@/shared'
import { computed } from 'vue'
import { factsOf, sharesOf, word, type Sides } from '../logic/compare'

const props = defineProps<{ change: Schemas['ColumnChange']; sides: Sides; records: [number, number] }>()
const facts = computed(() => factsOf(props.change))
const drawn = computed(() => sharesOf(props.change.classes, props.records))
const wide = (at: number, side: 0 | 1) => ({
  width: `${(100 * drawn.value.shares[at]![side]) / drawn.value.most}%`,
})
</script>

<template>
  <aside class="sheet" tabindex="0" :aria-label="`Column ${change.name}`">
    <h2>{{ change.name }}</h2>
    <p class="soft">
      {{ word(change, sides)
      }}<template v-if="change.stability != null"
        >, stability index {{ change.stability.toFixed(4) }}</template
      ><template v-if="change.statistic != null"
        >; {{ change.test }} {{ measure(change.statistic) }}, p {{ measure(change.p_value) }}</template
      >
    </p>
    <table class="lines facts">
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
    <table v-if="change.classes.length" class="lines">
      <thead>
        <tr>
          <th>Class</th>
          <th></th>
          <th class="num">{{ sides[0] }}</th>
          <th class="num">{{ sides[1] }}</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="(part, at) in change.classes" :key="part.label">
          <td class="mono value" :title="part.label"><DataValue :value="part.label" /></td>
          <td class="pair"><u :style="wide(at, 0)"></u><u class="second" :style="wide(at, 1)"></u></td>
          <td class="num" :title="share(part.first, records[0])">{{ count(part.first) }}</td>
          <td class="num" :title="share(part.second, records[1])">{{ count(part.second) }}</td>
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
.strong {
  font-weight: 650;
}
.facts {
  margin: 8px 0 12px;
}
.facts td:first-child {
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
