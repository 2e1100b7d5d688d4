<script setup lang="ts">
/** What breaks the contract of the released table, with its first records, and what an approver should know of columns. */
import type { Schemas } from '@/api/client'
import { count, plural } from '@/shared'

defineProps<{ breaches: Schemas['BreachOut'][]; warnings: string[]; delivery: number; slug: string }>()
</script>

<template>
  <div v-if="breaches.length" class="breaches">
    <b>The contract is broken</b>
    <p v-for="breach in breaches" :key="breach.column + breach.sentence">
      <em>{{ breach.column }}</em> {{ breach.sentence
      }}<template v-if="breach.records"
        >: {{ plural(breach.records, 'record') }}, the first
        <template v-for="(record, place) in breach.first" :key="record"
          >{{ place ? ', ' : ''
          }}<RouterLink :to="{ name: 'record', params: { id: delivery, record } }">{{
            count(record)
          }}</RouterLink></template
        ></template
      >
    </p>
    <p><RouterLink :to="{ name: 'released', params: { slug } }">The contract</RouterLink></p>
  </div>
  <div v-if="warnings.length" class="breaches">
    <b>Before it goes out</b>
    <p v-for="warning in warnings" :key="warning">{{ warning }}</p>
  </div>
</template>

<style scoped>
.breaches {
  padding: 8px 0 4px;
}
p {
  padding: 3px 0;
}
em {
  font: 550 12.5px var(--mono);
}
</style>
