<script setup lang="ts">
/** All that stands in a month for one feed, with the doors to its deliveries. */
import { minute } from '@/shared'
import { computed } from 'vue'
import { dueInWords, entryInWords, type Line } from '../logic/calendar'
import { planInWords } from '../logic/plan'

const props = defineProps<{ line: Line; day: string }>()
const plan = computed(() =>
  props.line.plan
    ? `Expected ${planInWords(props.line.plan, props.line.after)}.`
    : `No plan says when it is expected. Days are on the clock of ${props.line.zone}.`,
)
</script>

<template>
  <aside class="sheet" aria-label="A feed in this month">
    <h2>
      <RouterLink :to="{ name: 'feed', params: { slug: line.slug } }">{{ line.name }}</RouterLink>
    </h2>
    <p class="soft">{{ [line.supplier, line.owner].filter(Boolean).join(' · ') }}</p>
    <p>{{ plan }}</p>
    <p v-if="!line.entries.length" class="soft">Nothing came in this month, and nothing is expected.</p>
    <table v-else class="lines">
      <tbody>
        <tr
          v-for="entry in line.entries"
          :key="`${entry.at} ${entry.delivery}`"
          :class="{ on: entry.day === day }"
        >
          <td class="mono when" :title="minute(entry.at)">{{ entry.day }}</td>
          <td>
            <RouterLink
              v-if="entry.delivery"
              :to="{ name: entry.state === 'read' ? 'new' : 'intake', params: { id: entry.delivery } }"
              >{{ entryInWords(entry) }}</RouterLink><b v-else-if="entry.sort === 'missing'">{{
              entryInWords(entry)
            }}</b
            ><template v-else>{{ entryInWords(entry) }}</template>
            <span v-if="dueInWords(entry)" class="soft due">{{ dueInWords(entry) }}</span>
          </td>
        </tr>
      </tbody>
    </table>
  </aside>
</template>

<style scoped>
.sheet {
  width: 300px;
}
h2 {
  margin-bottom: 2px;
}
p {
  margin-bottom: 8px;
}
.when {
  width: 95px;
  white-space: nowrap;
}
.due {
  display: block;
}
table.lines td:first-child {
  padding-left: 9px;
}
tr.on td:first-child {
  box-shadow: inset 3px 0 0 var(--ink);
}
</style>
