<script setup lang="ts">
/** What came from whom: how much, how good, how late, how often returned; of the chosen one each feed, and a page to be sent to them. */
import { api, unwrap } from '@/api/client'
import { useAddress } from '@/app/address'
import { useKeys } from '@/app/keys'
import { useFreshWithWork } from '@/features/work'
import { count, day, plural, share, StateNote } from '@/shared'
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { daysOf, fitting, PERIODS, summed, TROUBLES } from '../logic/suppliers'

const { query, ask } = useAddress()
const days = computed(() => daysOf(query.value.days))
const { data, error, isLoading } = useQuery({
  queryKey: ['suppliers', days],
  queryFn: () => unwrap(api.GET('/api/suppliers', { params: { query: { days: days.value } } })),
})
useFreshWithWork('suppliers')
const search = computed({
  get: () => String(query.value.search ?? ''),
  set: (text) => ask({ search: text || undefined }),
})
const rows = computed(() =>
  fitting(data.value ?? [], search.value).map((each) => ({ ...each, sum: summed(each.feeds) })),
)
const chosen = computed(() => rows.value.find((row) => row.name === query.value.supplier) ?? rows.value[0])
function step(by: number): void {
  const next = rows.value[rows.value.findIndex((row) => row === chosen.value) + by]
  if (next) ask({ supplier: next.name })
}
useKeys({ j: () => step(1), k: () => step(-1) })
</script>

<template>
  <main class="aside-page">
    <section class="register">
      <header>
        <h1>Suppliers</h1>
        <label class="hidden-label" for="suppliers-search">Find a supplier</label>
        <input id="suppliers-search" v-model="search" class="field find" placeholder="Find a supplier" />
        <label for="suppliers-days">In</label>
        <select
          id="suppliers-days"
          class="field pick"
          :value="days"
          @change="ask({ days: ($event.target as HTMLSelectElement).value })"
        >
          <option v-for="(words, many) in PERIODS" :key="many" :value="many">{{ words }}</option>
        </select>
      </header>
      <StateNote :loading="isLoading" :error="error" />
      <StateNote
        v-if="data && !data.length"
        empty="No feed names its supplier. The supplier is said when a feed is made."
      />
      <StateNote v-else-if="data && !rows.length" :empty="`No supplier is called “${search}”.`" />
      <table v-if="rows.length" class="lines choices">
        <thead>
          <tr>
            <th>Supplier</th>
            <th class="num">Feeds</th>
            <th class="num">Deliveries</th>
            <th class="num">Late</th>
            <th class="num">Missing</th>
            <th class="num">Records</th>
            <th class="num">Rejected lines</th>
            <th class="num">Quarantined</th>
            <th class="num">Returned</th>
            <th class="num">Answered</th>
          </tr>
        </thead>
        <tbody>
          <tr
            v-for="row in rows"
            :key="row.name"
            :class="{ on: row === chosen }"
            @click="ask({ supplier: row.name })"
          >
            <td class="name" :title="row.name">
              <button type="button" :aria-pressed="row === chosen">{{ row.name }}</button>
            </td>
            <td class="num">{{ count(row.feeds.length) }}</td>
            <td class="num">{{ count(row.sum.deliveries) }}</td>
            <td class="num">{{ count(row.sum.late) }}</td>
            <td class="num">{{ count(row.sum.missing) }}</td>
            <td class="num">{{ count(row.sum.delivered) }}</td>
            <td class="num">{{ count(row.sum.rejected) }}</td>
            <td class="num">{{ share(row.sum.quarantined, row.sum.delivered) }}</td>
            <td class="num">{{ count(row.sum.returned) }}</td>
            <td class="num">{{ count(row.sum.answered) }}</td>
          </tr>
        </tbody>
      </table>
    </section>
    <aside v-if="chosen" class="sheet" aria-label="The supplier">
      <h2>{{ chosen.name }}</h2>
      <p>
        <a
          class="door"
          :href="`/api/feeds/${chosen.feeds[0]!.slug}/supplier.html?days=${days}`"
          target="_blank"
          rel="noopener"
          >Page to send to them</a
        >
      </p>
      <template v-for="feed in chosen.feeds" :key="feed.slug">
        <h3>
          <RouterLink :to="{ name: 'feed', params: { slug: feed.slug } }">{{ feed.name }}</RouterLink>
          <span class="soft">{{ ` ${feed.owner}` }}</span>
        </h3>
        <p>
          {{ plural(feed.deliveries, 'delivery', 'deliveries') }} of
          {{ plural(feed.balance.delivered, 'record')
          }}<template v-if="feed.newest">, the newest on {{ day(feed.newest) }}</template
          >; {{ share(feed.balance.quarantined, feed.balance.delivered) }} in quarantine.
        </p>
        <table v-if="TROUBLES.some(([part]) => feed[part])" class="lines">
          <tbody>
            <template v-for="[part, words] in TROUBLES" :key="part">
              <tr v-if="feed[part]">
                <td>{{ words }}</td>
                <td class="num">{{ count(feed[part]) }}</td>
              </tr>
            </template>
          </tbody>
        </table>
      </template>
    </aside>
  </main>
</template>

<style scoped>
table.choices .name button {
  max-width: 230px;
  font: 600 13px var(--sans);
}
.sheet {
  width: 300px;
}
.sheet h2 {
  margin-bottom: 4px;
}
.sheet h3 {
  margin: 14px 0 3px;
  font-size: 13px;
  font-weight: 650;
}
.sheet h3 span {
  font-weight: 400;
}
</style>
