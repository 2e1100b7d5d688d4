<script setup lang="ts">
/** What goes with the chosen column, strongest first, and the pair under the mouse. */
import { computed } from 'vue'
import { bothFilter, bothWays, two, type Pair } from '../logic/relations'

const props = defineProps<{
  cells: (Pair | undefined)[][]
  names: string[]
  chosen: number
  other: number
  hover: [number, number] | undefined
  isMissing: boolean // missing together, not strength of association
}>()
const MOST = 60
const partners = computed(() => {
  const row = props.cells[props.chosen] ?? []
  return row
    .flatMap((pair, place) => (pair ? [{ pair, name: props.names[place]! }] : []))
    .sort((a, b) => b.pair.strength - a.pair.strength)
    .slice(0, MOST)
})
</script>

<template>
  <h2>{{ names[chosen] }}</h2>
  <p v-if="hover && hover[0] !== hover[1]" class="mono now">
    {{ names[hover[0]] }} × {{ names[hover[1]] }}: {{ two(cells[hover[0]]?.[hover[1]]?.strength) }}
  </p>
  <p v-else class="soft now">Hover over a square for its pair; click it to keep it.</p>
  <table v-if="partners.length" class="lines">
    <thead>
      <tr>
        <th>{{ isMissing ? 'Missing with' : 'Goes with' }}</th>
        <th></th>
        <th class="num">strength</th>
        <th class="num" title="Pearson's correlation">r</th>
        <th class="num" title="Spearman's rank correlation">ρ</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="{ pair, name } in partners" :key="name" :class="{ on: names[other] === name }">
        <td class="name">
          <RouterLink :to="bothFilter(names[chosen]!, name)" :title="`${name}: look at both`">{{
            name
          }}</RouterLink>
        </td>
        <td class="track">
          <u :style="{ width: `${100 * pair.strength}%` }"></u>
          <small v-if="bothWays(pair, chosen)" class="soft mono">{{ bothWays(pair, chosen) }}</small>
        </td>
        <td class="num">{{ two(pair.strength) }}</td>
        <td class="num">{{ two(pair.pearson) }}</td>
        <td class="num">{{ two(pair.spearman) }}</td>
      </tr>
    </tbody>
  </table>
  <p class="soft note">
    Two numbers: the greater of Pearson's r and Spearman's ρ. A category and a number: correlation ratio. Two
    categories: Cramér's V, its bias corrected (Bergsma 2013). Missing together: the correlation of being
    missing. Where two categories tell each other unequally much, both directions stand under the bar: the
    part of the uncertainty about the other that is gone, there and back (Theil 1970).
  </p>
</template>

<style scoped src="./strengths.css"></style>
<style scoped>
h2 {
  font: 600 15px var(--mono);
  overflow-wrap: anywhere;
}
.now {
  min-height: 34px;
  overflow-wrap: anywhere;
}
.track small {
  font-size: 11px;
  white-space: nowrap;
}
tr.on td {
  background: var(--wash);
}
</style>
