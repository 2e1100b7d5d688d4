<script setup lang="ts">
/** The two ends of a range, typed or taken from the bars, and the door to its records. */
import { ref, watch } from 'vue'
import { useRouter, type RouteLocationRaw } from 'vue-router'
import { rangeProblem } from '../logic/bars'

const props = defineProps<{ of: string; door: (low: string, high: string) => RouteLocationRaw }>()
const ends = defineModel<[string, string]>({ required: true })
const router = useRouter()
const problem = ref('')
watch(ends, () => (problem.value = ''))
function set(at: 0 | 1, event: Event): void {
  const { value } = event.target as HTMLInputElement
  ends.value = at ? [ends.value[0], value] : [value, ends.value[1]]
}
function open(): void {
  problem.value = rangeProblem(props.of, ...ends.value)
  if (!problem.value) void router.push(props.door(...ends.value))
}
</script>

<template>
  <form class="range" @submit.prevent="open">
    <label for="range-low">From</label>
    <input
      id="range-low"
      class="field mono"
      :value="ends[0]"
      :aria-invalid="Boolean(problem)"
      @input="set(0, $event)"
    />
    <label for="range-high">to</label>
    <input
      id="range-high"
      class="field mono"
      :value="ends[1]"
      :aria-invalid="Boolean(problem)"
      @input="set(1, $event)"
    />
    <button class="link">Open the records</button>
    <p v-if="problem" class="wrong" role="alert">{{ problem }}</p>
  </form>
</template>

<style scoped>
.range {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 7px;
  align-items: baseline;
  margin: 6px 0 2px;
  color: var(--soft);
}
.field {
  width: 84px;
}
.wrong {
  flex-basis: 100%;
  margin: 0;
  color: var(--ink);
}
</style>
