<script setup lang="ts">
/** All releases, newest first. */
import { api, unwrap } from '@/api/client'
import { usePerson } from '@/features/session'
import { count, minute, StateNote } from '@/shared'
import { useQuery } from '@tanstack/vue-query'
import Downloads from '../components/Downloads.vue'
import WithdrawRelease from '../components/WithdrawRelease.vue'

const { mayRelease } = usePerson()
const { data, error, isLoading } = useQuery({
  queryKey: ['releases'],
  queryFn: () => unwrap(api.GET('/api/releases')),
})
</script>

<template>
  <main class="page">
    <h1>Releases</h1>
    <StateNote :loading="isLoading" :error="error" />
    <StateNote
      v-if="data && !data.length"
      empty="Nothing is released yet. An approver publishes a delivery in its place Release."
    />
    <table v-if="data?.length" class="lines">
      <thead>
        <tr>
          <th>Feed</th>
          <th class="num">Release</th>
          <th>State</th>
          <th>From</th>
          <th class="num">Records</th>
          <th>Published</th>
          <th>View</th>
          <th>Files</th>
          <th><span class="hidden-label">Withdraw</span></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="one in data" :key="one.id">
          <td>{{ one.feed.name }}</td>
          <td class="num">{{ one.number }}</td>
          <td>{{ one.state }}</td>
          <td>
            <RouterLink :to="{ name: 'release', params: { id: one.delivery } }"
              >delivery {{ one.delivery_number }}</RouterLink
            >
          </td>
          <td class="num">{{ count(one.records) }}</td>
          <td>
            <span class="mono">{{ one.published ? minute(one.published) : '' }}</span> {{ one.who }}
          </td>
          <td class="mono">{{ one.view }}</td>
          <td><Downloads v-if="one.published" :release="one.id" /></td>
          <td><WithdrawRelease v-if="mayRelease && one.state === 'published'" :release="one" /></td>
        </tr>
      </tbody>
    </table>
  </main>
</template>
