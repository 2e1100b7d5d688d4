<script setup lang="ts">
/** The memory of a feed: one measure of all its columns over its deliveries, a line each; the chosen one with its limits beside them. */
import { api, unwrap } from '@/api/client'
import { useAddress } from '@/app/address'
import { useKeys } from '@/app/keys'
import { FeedHeading } from '@/features/release'
import { useFreshWithWork } from '@/features/work'
import { day, plural, StateNote } from '@/shared'
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { useRoute } from 'vue-router'
import ComparedPair from '../components/ComparedPair.vue'
import MeasureLine from '../components/MeasureLine.vue'
import SmallLine from '../components/SmallLine.vue'
import { inWords, MEASURES } from '../logic/measure'

const route = useRoute()
const { query, ask } = useAddress()
const slug = computed(() => String(route.params.slug))
const measure = computed(() => String(query.value.measure ?? 'missing'))
const { data, error, isLoading } = useQuery({
  queryKey: ['memory', slug, measure],
  queryFn: () =>
    unwrap(
      api.GET('/api/feeds/{slug}/memory', {
        params: { path: { slug: slug.value }, query: { measure: measure.value } },
      }),
    ),
  placeholderData: keepPreviousData,
})
useFreshWithWork('memory')
const rows = computed(() =>
  (data.value?.series ?? []).map((each) => ({
    ...each,
    key: each.rule || each.name,
    label: each.name || 'all records',
    times: each.new.filter(Boolean).length,
  })),
)
const chosen = computed(() => rows.value.find((row) => row.key === query.value.of) ?? rows.value[0])
function step(by: number): void {
  const next = rows.value[rows.value.findIndex((row) => row === chosen.value) + by]
  if (next) ask({ of: next.key })
}
useKeys({ j: () => step(1), k: () => step(-1) })
const newest = computed(() => data.value?.deliveries.at(-1))
const line = useQuery({
  queryKey: ['measure over time', computed(() => newest.value?.id), computed(() => chosen.value?.id)],
  queryFn: () =>
    unwrap(
      api.GET('/api/deliveries/{delivery_id}/news/{novelty}/measure', {
        params: { path: { delivery_id: newest.value!.id, novelty: chosen.value!.id } },
      }),
    ),
  enabled: () => Boolean(newest.value && chosen.value),
})
const words = (value: number | null | undefined) =>
  value === null || value === undefined ? '–' : inWords(data.value?.scale ?? 'value', measure.value, value)
/** Deliveries at which something happened: another revision of the rulebook ran, or the chosen measure was new. */
const events = computed(() =>
  (data.value?.deliveries ?? [])
    .map((delivery, place) => {
      const before = data.value!.deliveries[place - 1]?.revision
      const revision =
        place && delivery.revision !== null && before !== null && before !== delivery.revision
          ? `revision ${delivery.revision}`
          : ''
      const fresh = chosen.value?.new[place] ? `new: ${words(chosen.value.values[place])}` : ''
      return { delivery, what: [fresh, revision].filter(Boolean).join(', ') }
    })
    .filter((each) => each.what)
    .reverse(),
)
</script>

<template>
  <main class="aside-page">
    <section class="register">
      <FeedHeading :slug="slug" about="memory" back="feed">
        <template v-if="data?.deliveries.length">
          <label for="memory-measure">Measure</label>
          <select
            id="memory-measure"
            class="field pick"
            :value="measure"
            @change="ask({ measure: ($event.target as HTMLSelectElement).value, of: undefined })"
          >
            <option v-for="name in data.measures" :key="name" :value="name">
              {{ MEASURES[name] ?? name }}
            </option>
          </select>
          <span class="soft">{{ plural(data.deliveries.length, 'delivery', 'deliveries') }}</span>
          <a :href="`/api/feeds/${slug}/memory.csv`" download>All measures as CSV</a>
        </template>
      </FeedHeading>
      <StateNote v-if="!data" :loading="isLoading" :error="error" />
      <StateNote
        v-else-if="!data.deliveries.length"
        empty="Nothing is remembered yet. Deliveries are remembered once they are profiled."
      />
      <StateNote v-else-if="!rows.length" empty="The newest delivery has no such measure." />
      <table v-else class="lines choices">
        <thead>
          <tr>
            <th>Column</th>
            <th>{{ day(data.deliveries[0]!.received) }} to {{ day(data.deliveries.at(-1)!.received) }}</th>
            <th class="num">Before</th>
            <th class="num">Newest</th>
            <th class="num">Times new</th>
          </tr>
        </thead>
        <tbody>
          <tr
            v-for="row in rows"
            :key="row.key"
            :class="{ on: row === chosen }"
            @click="ask({ of: row.key })"
          >
            <td class="mono name" :title="row.label">
              <button type="button" :aria-pressed="row === chosen">{{ row.label }}</button>
            </td>
            <td><SmallLine :values="row.values" :fresh="row.new" :width="360" :height="18" /></td>
            <td class="num">{{ words(row.values.at(-2)) }}</td>
            <td class="num">{{ words(row.values.at(-1)) }}</td>
            <td class="num">{{ row.times || '' }}</td>
          </tr>
        </tbody>
      </table>
    </section>
    <aside v-if="chosen && newest" class="sheet" aria-label="The measure over time">
      <h2 class="mono">{{ chosen.label }}</h2>
      <p class="soft">{{ MEASURES[measure] ?? measure }}</p>
      <MeasureLine v-if="line.data.value" :measure="line.data.value" />
      <StateNote v-else :loading="line.isLoading.value" :error="line.error.value" />
      <ComparedPair :deliveries="data!.deliveries" />
      <h3 v-if="events.length">What happened</h3>
      <p v-for="each in events" :key="each.delivery.id">
        <RouterLink :to="{ name: 'new', params: { id: each.delivery.id } }"
          >delivery {{ each.delivery.number }}</RouterLink
        >
        <span class="soft">{{ ` ${day(each.delivery.received)} ` }}</span>{{ each.what }}
      </p>
    </aside>
  </main>
</template>

<style scoped>
h3 {
  margin: 6px 0 4px;
  font-size: 13px;
  font-weight: 650;
}
</style>
