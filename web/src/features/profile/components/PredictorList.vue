<script setup lang="ts">
/** How well each column alone foretells the target, best first. */
import { computed } from 'vue'
import { bothFilter, two, type Relations } from '../logic/relations'

const props = defineProps<{ target: string; columns: Relations['foretold'] }>()
const MOST = 40
const best = computed(() =>
  [...props.columns].sort((a, b) => (b.skill ?? -1) - (a.skill ?? -1)).slice(0, MOST),
)
</script>

<template>
  <table class="lines">
    <thead>
      <tr>
        <th>Column alone</th>
        <th></th>
        <th class="num">strength</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="item in best" :key="item.name">
        <td class="name">
          <RouterLink :to="bothFilter(target, item.name)" :title="`${item.name}: look at both`">{{
            item.name
          }}</RouterLink>
        </td>
        <td class="track"><u :style="{ width: `${100 * (item.skill ?? 0)}%` }"></u></td>
        <td class="num">{{ two(item.skill) }}</td>
      </tr>
    </tbody>
  </table>
  <p class="soft note">
    Predictive strength: the part of the squared error of a naive forecast that a small decision tree on this
    column alone removes, on records it was not fitted to (Murphy 1988; for categories Brier 1950). 1 may be a
    leak.
  </p>
</template>

<style scoped src="./strengths.css"></style>
