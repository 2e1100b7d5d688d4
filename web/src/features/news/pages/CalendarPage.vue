<script setup lang="ts">
/** The calendar of feeds: a line for each feed, a column for each day of a month, a mark for what came, is missing or expected. */
import { api, unwrap } from '@/api/client'
import { useAddress } from '@/app/address'
import { useKeys } from '@/app/keys'
import { useFreshWithWork } from '@/features/work'
import { StateNote } from '@/shared'
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import CalendarMark from '../components/CalendarMark.vue'
import CalendarSheet from '../components/CalendarSheet.vue'
import {
  byDay,
  daysOf,
  entryInWords,
  fitting,
  inWords,
  isMonth,
  later,
  SORTS,
  today,
} from '../logic/calendar'

const { query, ask } = useAddress()
const zone = Intl.DateTimeFormat().resolvedOptions().timeZone || 'UTC'
const now = today()
const month = computed(() => (isMonth(query.value.month) ? query.value.month : now.slice(0, 7)))
const days = computed(() => daysOf(month.value))
const asked = computed(() => ({ first: `${month.value}-01`, days: days.value.length, zone }))
const { data, error, isLoading } = useQuery({
  queryKey: ['calendar', asked],
  queryFn: () => unwrap(api.GET('/api/calendar', { params: { query: asked.value } })),
})
useFreshWithWork('calendar')
const search = computed({
  get: () => String(query.value.search ?? ''),
  set: (text) => ask({ search: text || undefined }),
})
const onlyLate = computed({
  get: () => query.value.late === 'yes',
  set: (only) => ask({ late: only ? 'yes' : undefined }),
})
const rows = computed(() =>
  fitting(data.value ?? [], search.value, onlyLate.value).map((line) => ({ ...line, of: byDay(line) })),
)
const chosen = computed(() => rows.value.find((row) => row.slug === query.value.feed) ?? rows.value[0])
const day = computed(() => (chosen.value?.of.has(String(query.value.day)) ? String(query.value.day) : ''))
function step(by: number): void {
  const next = rows.value[rows.value.findIndex((row) => row === chosen.value) + by]
  if (next) ask({ feed: next.slug, day: undefined })
}
/** To the next day on which something stands for the chosen feed. */
function along(by: number): void {
  const filled = [...(chosen.value?.of.keys() ?? [])].sort()
  const at = filled.indexOf(day.value)
  const next = at < 0 ? (by > 0 ? filled[0] : filled.at(-1)) : filled[at + by]
  if (next && chosen.value) ask({ feed: chosen.value.slug, day: next })
}
const nameOf = (name: string) => inWords(name).split(' ')[0]
const turn = (by: number) => ask({ month: later(month.value, by), day: undefined })
useKeys({
  j: () => step(1),
  k: () => step(-1),
  ArrowRight: () => along(1),
  ArrowLeft: () => along(-1),
  '[': () => turn(-1),
  ']': () => turn(1),
})
</script>

<template>
  <main class="aside-page">
    <section class="register">
      <header>
        <h1>Calendar</h1>
        <button type="button" class="link" @click="turn(-1)">{{ nameOf(later(month, -1)) }}</button>
        <b class="month" aria-live="polite">{{ inWords(month) }}</b>
        <button type="button" class="link" @click="turn(1)">{{ nameOf(later(month, 1)) }}</button>
        <label class="hidden-label" for="calendar-search">Find a feed</label>
        <input id="calendar-search" v-model="search" class="field find" placeholder="Find a feed" />
        <label class="only"><input v-model="onlyLate" type="checkbox" /> late or missing only</label>
      </header>
      <StateNote :loading="isLoading" :error="error" />
      <template v-if="data">
        <StateNote
          v-if="!data.length"
          empty="Nothing came in this month, and no feed has a plan. When deliveries are expected is said on the page of a feed."
        />
        <StateNote v-else-if="!rows.length" empty="No feed of this month fits." />
        <div v-else class="wide">
          <table class="lines choices" :aria-label="inWords(month)">
            <thead>
              <tr>
                <th>Feed</th>
                <th
                  v-for="each in days"
                  :key="each.day"
                  class="day"
                  :class="{ rest: each.isRest, today: each.day === now }"
                  :title="`${each.of}, ${each.day}`"
                >
                  <span aria-hidden="true">{{ each.of.charAt(0) }}</span>
                  <span>{{ each.number }}</span>
                </th>
              </tr>
            </thead>
            <tbody>
              <tr
                v-for="row in rows"
                :key="row.slug"
                :class="{ on: row === chosen }"
                @click="ask({ feed: row.slug, day: undefined })"
              >
                <td class="name" :title="row.name">
                  <button type="button" :aria-pressed="row === chosen">{{ row.name }}</button>
                </td>
                <td
                  v-for="each in days"
                  :key="each.day"
                  class="day"
                  :class="{
                    rest: each.isRest,
                    today: each.day === now,
                    at: row === chosen && each.day === day,
                  }"
                >
                  <button
                    v-if="row.of.get(each.day)"
                    type="button"
                    :aria-label="`${each.day}: ${row.of.get(each.day)!.map(entryInWords).join(', ')}`"
                    :title="row.of.get(each.day)!.map(entryInWords).join(', ')"
                    @click.stop="ask({ feed: row.slug, day: each.day })"
                  >
                    <CalendarMark :sort="row.of.get(each.day)![0]!.sort" />
                  </button>
                </td>
              </tr>
            </tbody>
          </table>
        </div>
        <p v-if="rows.length" class="soft legend">
          <span v-for="(words, sort) in SORTS" :key="sort"><CalendarMark :sort="sort" /> {{ words }}</span>
        </p>
      </template>
    </section>
    <CalendarSheet v-if="chosen" :line="chosen" :day="day" />
  </main>
</template>

<style scoped>
.month {
  min-width: 118px;
  text-align: center;
}
.find {
  margin-left: auto;
}
.only {
  white-space: nowrap;
}
.wide {
  overflow-x: auto;
}
table {
  table-layout: fixed;
}
.name {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
table.choices .name button {
  font: 600 13px var(--sans);
}
th:first-child {
  width: 160px;
}
table.lines .day {
  width: 20px;
  padding-right: 0;
  padding-left: 0;
  text-align: center;
  font-variant-numeric: tabular-nums;
}
th.day span {
  display: block;
  line-height: 1.25;
}
.rest {
  background: var(--wash);
}
th.today span:last-child {
  font-weight: 800;
  text-decoration: underline;
  text-underline-offset: 3px;
}
td.day button {
  width: 100%;
  border: 0;
  padding: 2px 0;
  background: none;
  line-height: 0;
  cursor: pointer;
}
td.at button {
  outline: 2px solid var(--press);
  outline-offset: -1px;
}
.legend {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 18px;
  padding-top: 10px;
}
.legend span {
  display: flex;
  gap: 6px;
  align-items: center;
}
</style>
