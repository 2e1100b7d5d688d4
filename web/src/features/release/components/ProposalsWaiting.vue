<script setup lang="ts">
/** The proposals that wait for an approver, over all feeds, the oldest first. */
import { minute, plural, StateNote } from '@/shared'
import { useQuery } from '@tanstack/vue-query'
import { proposals } from '../composables/proposalsWaiting'

const { data, error } = useQuery(proposals)
</script>

<template>
  <StateNote :error="error" />
  <section v-if="data?.length" aria-labelledby="waiting-proposals">
    <h2 id="waiting-proposals">Waiting for an approver</h2>
    <table class="lines">
      <thead>
        <tr>
          <th>Feed</th>
          <th>Proposed</th>
          <th>By</th>
          <th>Since</th>
          <th>Word</th>
          <th class="num">Questions and answers</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="each in data" :key="each.id">
          <td>{{ each.feed.name }}</td>
          <td>
            <RouterLink :to="{ name: 'release', params: { id: each.delivery } }"
              >delivery {{ each.delivery_number }}</RouterLink
            >
          </td>
          <td>{{ each.who }}</td>
          <td class="mono">{{ minute(each.at) }}</td>
          <td class="word">{{ each.word }}</td>
          <td class="num">{{ each.remarks ? plural(each.remarks, 'line') : '' }}</td>
        </tr>
      </tbody>
    </table>
  </section>
</template>

<style scoped>
h2 {
  padding: 4px 0 6px;
  font-size: 14px;
  font-weight: 650;
}
section {
  padding-bottom: 20px;
}
.word {
  max-width: 44ch;
  overflow-wrap: anywhere;
}
</style>
