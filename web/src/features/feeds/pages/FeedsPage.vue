<script setup lang="ts">
/** The board: a line for each feed, its last deliveries as small balance bars in time order. */
import { api, unwrap, type Schemas } from '@/api/client'
import { useAddress } from '@/app/address'
import { usePerson } from '@/features/session'
import { useFreshWithWork } from '@/features/work'
import { BalanceBar, count, day, plural, share, StateNote } from '@/shared'
import { useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import NewFeed from '../components/NewFeed.vue'
import ReceiveFiles from '../components/ReceiveFiles.vue'
import { fitting, grouped, GROUPS, isGroup } from '../logic/board'
import { heldTrend } from '../logic/trend'

const { mayWork } = usePerson()
const { data, error, isLoading } = useQuery({
  queryKey: ['feeds'],
  queryFn: () => unwrap(api.GET('/api/feeds')),
})
useFreshWithWork('feeds')
const { query, ask } = useAddress()
const find = computed({
  get: () => String(query.value.search ?? ''),
  set: (text) => ask({ search: text || undefined }),
})
const onlyWaiting = computed({
  get: () => query.value.waiting === 'yes',
  set: (only) => ask({ waiting: only ? 'yes' : undefined }),
})
const group = computed({
  get: () => (isGroup(query.value.group) ? query.value.group : ''),
  set: (by) => ask({ group: by || undefined }),
})
const adding = ref(false)
const target = ref<Schemas['FeedOut']>()
const shown = computed(() => fitting(data.value ?? [], find.value, onlyWaiting.value))
const groups = computed(() => grouped(shown.value, group.value))
/** So many deliveries stand beside each other with their days; of more, only the newest does. */
const WIDE = 5
const isSlim = (feed: Schemas['FeedOut'], at: number) =>
  feed.deliveries.length > WIDE && at < feed.deliveries.length - 1
const standing = (delivery: Schemas['DeliverySummary']) =>
  delivery.state === 'read' ? delivery.release || count(delivery.balance.delivered) : delivery.state
const inWords = (delivery: Schemas['DeliverySummary']) =>
  `delivery ${delivery.number}, ${day(delivery.received)}, ${plural(delivery.balance.delivered, 'record')}, ${delivery.release || delivery.state}`
const place = (delivery: Schemas['DeliverySummary']) =>
  delivery.state !== 'read'
    ? 'intake'
    : delivery.release === 'published'
      ? 'release'
      : delivery.news
        ? 'new'
        : delivery.has_run
          ? 'quarantine'
          : 'profile'
</script>

<template>
  <main class="page">
    <header>
      <h1>Feeds</h1>
      <label class="hidden-label" for="find-feed">Find a feed</label>
      <input id="find-feed" v-model="find" class="field find" placeholder="Find a feed" />
      <label class="only"><input v-model="onlyWaiting" type="checkbox" /> waiting only</label>
      <label class="hidden-label" for="board-group">Together</label>
      <select id="board-group" v-model="group" class="field pick">
        <option value="">what waits first</option>
        <option v-for="(words, by) in GROUPS" :key="by" :value="by">{{ words }}</option>
      </select>
      <RouterLink :to="{ name: 'calendar' }">Calendar</RouterLink>
      <RouterLink :to="{ name: 'suppliers' }">Suppliers</RouterLink>
      <button v-if="mayWork" type="button" class="btn add" @click="adding = true">New feed</button>
    </header>
    <StateNote :loading="isLoading" :error="error" />
    <StateNote
      v-if="data && !data.length"
      empty="There is no feed yet. A feed is a table that arrives again and again; make one, then give it its first delivery."
    />
    <StateNote v-else-if="data && !shown.length" empty="No feed fits." />
    <table v-if="shown.length" class="lines board">
      <thead>
        <tr>
          <th>Feed</th>
          <th>Deliveries, oldest first</th>
          <th class="num">Quarantined</th>
          <th>Waits for you</th>
          <th><span class="hidden-label">Add delivery</span></th>
        </tr>
      </thead>
      <tbody v-for="each in groups" :key="each.name">
        <tr v-if="group">
          <th colspan="5" scope="rowgroup" class="group">
            {{ each.name }} <span class="soft">{{ count(each.feeds.length) }}</span>
          </th>
        </tr>
        <tr v-for="feed in each.feeds" :key="feed.slug">
          <td class="feed">
            <RouterLink :to="{ name: 'feed', params: { slug: feed.slug } }"
              ><b>{{ feed.name }}</b></RouterLink
            >
            <span class="soft">{{ [feed.supplier, feed.owner].filter(Boolean).join(' · ') }}</span>
            <span v-if="feed.expected && !feed.is_late" class="soft">next by {{ day(feed.expected) }}</span>
          </td>
          <td>
            <div class="bars" :class="{ many: feed.deliveries.length > WIDE }">
              <RouterLink
                v-for="(delivery, at) in feed.deliveries"
                :key="delivery.id"
                :to="{ name: place(delivery), params: { id: delivery.id } }"
                :title="inWords(delivery)"
                class="one"
                :class="{ slim: isSlim(feed, at) }"
              >
                <BalanceBar :balance="delivery.balance" :height="9" />
                <span class="hidden-label">{{ feed.name }}, delivery </span>
                <span class="when"
                  >{{ delivery.number }}
                  <span :class="isSlim(feed, at) ? 'hidden-label' : 'soft'">{{
                    day(delivery.received).slice(5)
                  }}</span></span
                >
                <span :class="isSlim(feed, at) ? 'hidden-label' : 'soft small'">{{
                  standing(delivery)
                }}</span>
              </RouterLink>
              <span v-if="!feed.deliveries.length" class="soft">none has arrived</span>
            </div>
          </td>
          <td class="num">{{ heldTrend(feed.deliveries, share) }}</td>
          <td :class="{ waits: feed.waiting }">{{ feed.waiting || 'nothing' }}</td>
          <td class="num">
            <button v-if="mayWork" type="button" class="link take" @click="target = feed">
              Add delivery
            </button>
          </td>
        </tr>
      </tbody>
    </table>
    <NewFeed v-if="adding" @close="adding = false" @made="(feed) => (target = feed)" />
    <ReceiveFiles v-if="target" :feed="target" @close="target = undefined" />
  </main>
</template>

<style scoped>
.find {
  width: 150px;
}
.add {
  margin-left: auto;
}
.only {
  white-space: nowrap;
}
.pick {
  width: auto;
  font-family: var(--sans);
}
table.board th.group {
  padding-top: 14px;
  color: var(--ink);
  font-size: 13px;
  font-weight: 650;
}
.board td {
  padding-top: 9px;
  padding-bottom: 9px;
  vertical-align: top;
}
.feed {
  width: 190px;
}
.feed a {
  color: var(--ink);
}
.feed b,
.feed span {
  display: block;
}
.bars {
  display: flex;
  flex-wrap: wrap;
  gap: 8px 14px;
}
.one {
  display: grid;
  align-content: start;
  width: 92px;
  color: var(--ink);
  line-height: 1.3;
}
.one :deep(.bar) {
  margin: 4px 0 3px;
}
.when,
.small {
  font-size: 12px;
}
.many {
  flex-wrap: nowrap;
  gap: 4px;
}
.slim {
  width: 28px;
}
.waits {
  font-weight: 650;
}
.take {
  font: 13px var(--sans);
}
</style>
