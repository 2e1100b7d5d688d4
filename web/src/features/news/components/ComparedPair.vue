<script setup lang="ts">
/** Two deliveries of a feed, by default the newest two, and the door to their comparison. */
import { day } from '@/shared'
import { computed, ref } from 'vue'

const props = defineProps<{ deliveries: readonly { id: number; number: number; received: string }[] }>()
const newestFirst = computed(() => [...props.deliveries].reverse())
const LABELS = ['One delivery', 'The other delivery']
const chosen = ref<(number | undefined)[]>([])
const pair = computed(() => LABELS.map((_, at) => chosen.value[at] ?? newestFirst.value[at]?.id))
</script>

<template>
  <p v-if="deliveries.length > 1">
    Delivery
    <template v-for="(label, at) in LABELS" :key="label">
      {{ at ? 'and' : '' }}
      <select
        class="field pick"
        :aria-label="label"
        :value="pair[at]"
        @change="chosen[at] = Number(($event.target as HTMLSelectElement).value)"
      >
        <option v-for="each in newestFirst" :key="each.id" :value="each.id" :title="day(each.received)">
          {{ each.number }}
        </option>
      </select>
    </template>
    <RouterLink
      v-if="pair[0] !== pair[1]"
      :to="{ name: 'profile', params: { id: pair[0] }, query: { view: 'compare', beside: pair[1] } }"
      >Compare</RouterLink
    >
    <span v-else class="soft">are the same</span>
  </p>
</template>

<style scoped>
.pick {
  width: auto;
  margin-right: 6px;
}
</style>
