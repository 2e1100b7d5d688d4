<script setup lang="ts">
/** What was done, by whom, when. */
import { api, unwrap } from '@/api/client'
import { count, minute, StateNote } from '@/shared'
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { refDebounced } from '@vueuse/core'
import { ref, watch } from 'vue'
import RecordCheck from '../components/RecordCheck.vue'
import { detailsOf } from '../logic/details'

const SIZE = 100
const search = ref('')
const offset = ref(0)
const asked = refDebounced(search, 250)
watch(asked, () => (offset.value = 0))
const { data, error, isLoading } = useQuery({
  queryKey: ['activity', asked, offset],
  queryFn: () =>
    unwrap(
      api.GET('/api/activity', {
        params: { query: { search: asked.value, offset: offset.value, limit: SIZE } },
      }),
    ),
  placeholderData: keepPreviousData,
})
</script>

<template>
  <main class="page">
    <header>
      <h1>Activity</h1>
      <label class="hidden-label" for="find-activity">Find an action</label>
      <input id="find-activity" v-model="search" class="field find" placeholder="Find an action" />
      <RecordCheck />
      <span v-if="data" class="soft">{{ count(data.total) }} entries; none can be changed or deleted</span>
    </header>
    <StateNote :loading="isLoading" :error="error" />
    <StateNote v-if="data && !data.events.length" empty="No entry matches." />
    <table v-if="data?.events.length" class="lines">
      <thead>
        <tr>
          <th>When</th>
          <th>Who</th>
          <th>What</th>
          <th>Details</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="event in data.events" :key="event.id">
          <td class="mono when">{{ minute(event.at) }}</td>
          <td class="when">{{ event.who }}</td>
          <td>
            <RouterLink v-if="event.delivery" :to="{ name: 'profile', params: { id: event.delivery } }">{{
              event.what
            }}</RouterLink><template v-else>{{ event.what }}</template>
          </td>
          <td class="mono soft details">
            {{ detailsOf(event.details) }}
          </td>
        </tr>
      </tbody>
    </table>
    <p v-if="data && data.total > SIZE" class="tools">
      <button v-if="offset" type="button" class="link" @click="offset -= SIZE">Later</button>
      <button v-if="offset + SIZE < data.total" type="button" class="link" @click="offset += SIZE">
        Earlier
      </button>
    </p>
  </main>
</template>

<style scoped>
.find {
  width: 170px;
}
.when {
  white-space: nowrap;
}
.details {
  max-width: 420px;
  overflow-wrap: anywhere;
}
</style>
