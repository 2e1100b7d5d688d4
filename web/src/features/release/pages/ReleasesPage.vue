<script setup lang="ts">
/** All releases, newest first. */
import { api, unwrap } from '@/api/client'
import { usePerson } from '@/features/session'
import { useFreshWithWork } from '@/features/work'
import { count, minute, StateNote } from '@/shared'
import { useQuery } from '@tanstack/vue-query'
import Downloads from '../components/Downloads.vue'
import ProposalsWaiting from '../components/ProposalsWaiting.vue'
import WithdrawRelease from '../components/WithdrawRelease.vue'

const { mayRelease } = usePerson()
const { data, error, isLoading } = useQuery({
  queryKey: ['releases'],
  queryFn: () => unwrap(api.GET('/api/releases')),
})
useFreshWithWork('releases')
</script>

<template>
  <main class="page">
    <header>
      <h1>Releases</h1>
      <RouterLink :to="{ name: 'readers' }">Readers</RouterLink>
    </header>
    <ProposalsWaiting />
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
        <tr v-for="item in data" :key="item.id">
          <td class="whole">{{ item.feed.name }}</td>
          <td class="num">{{ item.number }}</td>
          <td>{{ item.replaced_by ? `replaced by release ${item.replaced_by}` : item.state }}</td>
          <td class="whole">
            <RouterLink :to="{ name: 'release', params: { id: item.delivery } }"
              >delivery {{ item.delivery_number }}</RouterLink
            >
          </td>
          <td class="num">{{ count(item.records) }}</td>
          <td>
            <span class="mono">{{ item.published ? minute(item.published) : '' }}</span> {{ item.who }}
          </td>
          <td class="mono">
            <RouterLink :to="{ name: 'released', params: { slug: item.feed.slug } }">{{
              item.view
            }}</RouterLink>
          </td>
          <td><Downloads v-if="item.published" :release="item.id" /></td>
          <td><WithdrawRelease v-if="mayRelease && item.state === 'published'" :release="item" /></td>
        </tr>
      </tbody>
    </table>
  </main>
</template>

<style scoped>
.whole {
  white-space: nowrap;
}
</style>
