<script setup lang="ts">
/** The profile to hand over: a page that stands alone, and JSON. */
import type { Schemas } from '@/api/client'
import { count } from '@/shared'
import { computed } from 'vue'
import { useTable } from '../logic/lookedAt'

const table = useTable()
const asked = computed(() => (table.value === undefined ? '' : `?table=${table.value}`))
defineProps<{ delivery: Schemas['WorkspaceOut']; profile: Schemas['Profile'] }>()
</script>

<template>
  <section class="register" tabindex="0" aria-label="The profile as a report">
    <div class="text">
      <h2>Report</h2>
      <p class="soft">
        The whole profile of {{ count(profile.records) }} records and
        {{ count(profile.columns.length) }} columns, with the findings and what was decided about them. One
        file that needs nothing else: to mail, to print, to keep with the data.
      </p>
      <p v-if="delivery.masked?.length">
        It holds values that you may only see masked. An analyst of the feed can give it to you.
      </p>
      <ul v-else>
        <li>
          <a :href="`/api/deliveries/${delivery.id}/report.html${asked}`" target="_blank" rel="noopener"
            >Open the report</a
          >
          <span class="soft">a page for people without an account</span>
        </li>
        <li>
          <a
            :href="`/api/deliveries/${delivery.id}/report.html${asked}`"
            :download="`${delivery.feed.slug}-${delivery.number}-profile.html`"
            >Download it</a
          >
          <span class="soft">the same page as a file</span>
        </li>
        <li>
          <a
            :href="`/api/deliveries/${delivery.id}/report.json${asked}`"
            :download="`${delivery.feed.slug}-${delivery.number}-profile.json`"
            >Download as JSON</a
          >
          <span class="soft">for programs</span>
        </li>
        <li>
          <RouterLink :to="{ query: { view: 'compare', beside: delivery.speaking ? 'rules' : undefined } }"
            >Before and after</RouterLink
          >
          <span class="soft"
            >Compare makes the same report with what changed, before and after the rules</span
          >
        </li>
      </ul>
    </div>
  </section>
</template>

<style scoped>
.text {
  max-width: 640px;
  padding: 12px 0;
}
h2 {
  font-size: 14px;
  font-weight: 650;
}
ul {
  margin: 12px 0;
  padding: 0;
  list-style: none;
}
li {
  display: flex;
  gap: 14px;
  border-bottom: 1px solid var(--hair2);
  padding: 7px 0;
}
li a {
  min-width: 150px;
}
</style>
