<script setup lang="ts">
/** One feed: its deliveries, and the ways in which they arrive. */
import { api, unwrap } from '@/api/client'
import { MadeFromLine } from '@/features/derived'
import { ArrivalPlan, FeedPolicy } from '@/features/news'
import { usePerson } from '@/features/session'
import { useFreshWithWork } from '@/features/work'
import { BalanceBar, count, minute, plural, share, StateNote } from '@/shared'
import { useInfiniteQuery, useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { useRoute } from 'vue-router'
import ApiTokens from '../components/ApiTokens.vue'
import FetchPlan from '../components/FetchPlan.vue'
import ReceiveFiles from '../components/ReceiveFiles.vue'

const route = useRoute()
const { mayWork } = usePerson()
const slug = computed(() => String(route.params.slug))
const params = computed(() => ({ path: { slug: slug.value } }))
const { data, error, isLoading } = useQuery({
  queryKey: ['feeds', slug],
  queryFn: () => unwrap(api.GET('/api/feeds/{slug}', { params: params.value })),
})
useFreshWithWork('feeds')
const ways = useQuery({
  queryKey: ['ways', slug],
  queryFn: () => unwrap(api.GET('/api/feeds/{slug}/ways-in', { params: params.value })),
  refetchInterval: 5_000, // of a drop folder nothing tells but looking into it
})
const taking = ref(false)
const PAGE = 12
const listed = useInfiniteQuery({
  queryKey: ['deliveries', slug, 'listed'],
  initialPageParam: undefined as number | undefined,
  queryFn: ({ pageParam: before }) =>
    unwrap(
      api.GET('/api/deliveries', {
        params: { query: { feed: slug.value, before, limit: before ? 100 : PAGE } },
      }),
    ),
  getNextPageParam: (page) => {
    const oldest = page.at(-1)
    return oldest && oldest.number > 1 ? oldest.id : undefined
  },
})
useFreshWithWork('deliveries')
const deliveries = computed(() => listed.data.value?.pages.flat() ?? [])
</script>

<template>
  <main class="page">
    <StateNote :loading="isLoading" :error="error" />
    <template v-if="data">
      <header>
        <h1>{{ data.name }}</h1>
        <span class="soft">{{ [data.supplier, data.about].filter(Boolean).join(' · ') }}</span>
        <RouterLink class="table" :to="{ name: 'memory', params: { slug } }">Memory</RouterLink>
        <RouterLink :to="{ name: 'released', params: { slug } }">Released table</RouterLink>
        <button v-if="mayWork" type="button" class="btn main" @click="taking = true">Add delivery</button>
      </header>
      <section>
        <h2>
          Deliveries
          <span class="soft">{{
            data.columns.length ? plural(data.columns.length, 'agreed column') : 'no columns agreed yet'
          }}</span>
        </h2>
        <StateNote v-if="!listed.data.value" :loading="listed.isLoading.value" :error="listed.error.value" />
        <StateNote
          v-else-if="!deliveries.length"
          empty="No delivery yet. Add files, or plan below how they arrive."
        />
        <table v-else class="lines">
          <thead>
            <tr>
              <th class="num">Delivery</th>
              <th>Arrived</th>
              <th class="bar">Balance</th>
              <th class="num">Delivered</th>
              <th class="num">Quarantined</th>
              <th class="num">New</th>
              <th>State</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="delivery in deliveries" :key="delivery.id">
              <td class="num">
                <RouterLink :to="{ name: 'intake', params: { id: delivery.id } }">{{
                  delivery.number
                }}</RouterLink>
              </td>
              <td>
                {{ minute(delivery.received) }} <span class="soft">{{ plural(delivery.files, 'file') }}</span>
              </td>
              <td class="bar"><BalanceBar :balance="delivery.balance" :height="9" /></td>
              <td class="num">{{ count(delivery.balance.delivered) }}</td>
              <td class="num">{{ share(delivery.balance.quarantined, delivery.balance.delivered) }}</td>
              <td class="num">
                <RouterLink
                  v-if="delivery.news"
                  class="door"
                  :to="{ name: 'new', params: { id: delivery.id } }"
                  >{{ count(delivery.news) }}</RouterLink
                >
                <template v-else>0</template>
              </td>
              <td>
                {{
                  delivery.state === 'read'
                    ? delivery.release || (delivery.has_run ? 'run' : 'new')
                    : delivery.state
                }}
              </td>
            </tr>
          </tbody>
        </table>
        <button
          v-if="listed.hasNextPage.value"
          type="button"
          class="link"
          :disabled="listed.isFetchingNextPage.value"
          @click="listed.fetchNextPage()"
        >
          Earlier deliveries
        </button>
      </section>
      <section>
        <h2>Expected</h2>
        <ArrivalPlan :slug="slug" />
      </section>
      <section>
        <h2>Runs itself</h2>
        <FeedPolicy :slug="slug" />
      </section>
      <section>
        <h2>Made from releases of other feeds</h2>
        <MadeFromLine :slug="slug" :may-work="mayWork" />
      </section>
      <section v-if="ways.data.value">
        <h2>Drop folder</h2>
        <p>
          <code class="mono">{{ ways.data.value.folder }}</code>
          <span class="soft">
            is checked every few seconds. Files that no longer change are added together as one delivery;
            names that end in .part or .tmp are left alone.</span
          >
        </p>
        <p v-if="ways.data.value.waiting.length" role="status">
          Waiting until complete: <span class="mono">{{ ways.data.value.waiting.join(', ') }}</span>
        </p>
      </section>
      <section v-if="ways.data.value">
        <h2>Fetched from elsewhere</h2>
        <FetchPlan :slug="slug" :plan="ways.data.value.plan" />
      </section>
      <section v-if="mayWork">
        <h2>By a program</h2>
        <ApiTokens :slug="slug" />
      </section>
      <ReceiveFiles v-if="taking" :feed="data" @close="taking = false" />
    </template>
  </main>
</template>

<style scoped>
.table {
  margin-left: auto;
}
section {
  max-width: 980px;
  margin-bottom: 22px;
  border-top: 1px solid var(--hair);
}
h2 {
  padding: 9px 0 6px;
  font-size: 13px;
  font-weight: 650;
}
h2 span {
  font-weight: 400;
}
.bar {
  width: 220px;
  padding-left: 12px !important;
}
</style>
