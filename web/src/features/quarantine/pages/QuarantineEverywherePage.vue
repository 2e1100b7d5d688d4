<script setup lang="ts">
/** All deliveries with records in quarantine: what is late, whose it is, what it blocks, and how each reason goes from delivery to delivery. */
import { api, unwrap, type Schemas } from '@/api/client'
import { useAddress } from '@/app/address'
import { useFreshWithWork } from '@/features/work'
import { BalanceBar, count, MiniBars, minute, plural, StateNote } from '@/shared'
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'

type Line = Schemas['QuarantineLine']
const { query, ask } = useAddress()
const { data, error, isLoading } = useQuery({
  queryKey: ['quarantine'],
  queryFn: () => unwrap(api.GET('/api/quarantine')),
})
useFreshWithWork('quarantine')
const VIEWS: { view: string; label: string; one?: string; of: (line: Line) => number }[] = [
  { view: '', label: 'waiting', of: (line: Line) => line.records },
  { view: 'mine', label: 'mine', of: (line: Line) => line.mine },
  { view: 'overdue', label: 'day is past', of: (line: Line) => line.overdue },
  { view: 'returned', label: 'with a supplier', of: (line: Line) => line.returned },
  {
    view: 'answers',
    label: 'answers to look at',
    one: 'answer to look at',
    of: (line: Line) => line.answers,
  },
]
const view = computed(() => VIEWS.find((each) => each.view === query.value.view) ?? VIEWS[0]!)
const lines = computed(() => (data.value ?? []).filter((line) => view.value.of(line)))
const totals = computed(() =>
  VIEWS.map((each) => ({
    ...each,
    total: (data.value ?? []).reduce((sum, line) => sum + each.of(line), 0),
  })),
)
/** Where a line leads: to its quarantine, with the same filter. */
const FILTERS: Record<string, (line: Line) => Record<string, string>> = {
  mine: (line) => ({ owner: String(line.owner) }),
  overdue: () => ({ overdue: 'yes' }),
  returned: () => ({ returned: 'yes' }),
}
const placeOf = (line: Line) => ({
  name: 'quarantine',
  params: { id: line.delivery.id },
  query: FILTERS[view.value.view]?.(line) ?? {},
})
/** The newest delivery of each feed that has several here: beside it all of the feed are offered as one file. */
const firstOfSeveral = computed(() => {
  const newest = new Map<string, Line>()
  const many = new Set<string>()
  for (const line of data.value ?? []) {
    const { slug } = line.delivery.feed
    const known = newest.get(slug)
    if (known) many.add(slug)
    if (!known || known.delivery.number < line.delivery.number) newest.set(slug, line)
  }
  return new Set([...many].map((slug) => newest.get(slug)!.delivery.id))
})
const told = (line: Line) =>
  [
    line.mine && `${count(line.mine)} mine`,
    line.overdue && `${count(line.overdue)} whose day is past`,
    line.returned && `${count(line.returned)} with the supplier`,
    line.answers && `${plural(line.answers, 'answer')} to look at`,
  ].filter(Boolean)
</script>

<template>
  <main class="page">
    <h1>Quarantine</h1>
    <StateNote :loading="isLoading" :error="error" />
    <StateNote
      v-if="data && !data.length"
      empty="No record is in quarantine. Records that break a check are listed here until somebody decides."
    />
    <nav v-if="data?.length" class="views" aria-label="Which">
      <button
        v-for="each in totals"
        :key="each.view"
        type="button"
        class="link"
        :aria-pressed="view.view === each.view"
        :disabled="!each.total && view.view !== each.view"
        @click="ask({ view: each.view || undefined })"
      >
        <b>{{ count(each.total) }}</b> {{ each.total === 1 && each.one ? each.one : each.label }}
      </button>
    </nav>
    <StateNote v-if="data?.length && !lines.length" empty="None of them. Choose another number above." />
    <table v-if="lines.length" class="lines board">
      <thead>
        <tr>
          <th>Delivery</th>
          <th>Balance</th>
          <th class="num">Waiting</th>
          <th>Since</th>
          <th>Blocks</th>
          <th>Most frequent reasons, and how many in the last deliveries</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="line in lines" :key="line.delivery.id">
          <td>
            <RouterLink :to="placeOf(line)"
              >{{ line.delivery.feed.name }}, delivery {{ line.delivery.number }}</RouterLink
            >
            <span v-if="line.delivery.release" class="soft release">{{ line.delivery.release }}</span>
            <span v-for="words in told(line)" :key="words as string" class="told">{{ words }}</span>
            <a
              v-if="firstOfSeveral.has(line.delivery.id)"
              class="whole"
              :href="`/api/feeds/${line.delivery.feed.slug}/quarantine/file`"
              download
              >all that wait in the feed as CSV</a
            >
          </td>
          <td class="balance"><BalanceBar :balance="line.delivery.balance" :height="9" /></td>
          <td class="num">
            {{ count(line.records) }}
            <a
              class="file"
              :href="`/api/deliveries/${line.delivery.id}/quarantine/file`"
              :title="`The ${count(line.records)} records as CSV`"
              download
              >CSV</a
            >
          </td>
          <td class="mono">{{ line.since ? minute(line.since) : '' }}</td>
          <td>
            <span v-for="blocked in line.blocks" :key="blocked" class="reason">{{ blocked }}</span>
          </td>
          <td>
            <span v-for="reason in line.reasons" :key="`${reason.rule} ${reason.name}`" class="reason"
              ><MiniBars
                v-if="reason.trend.length > 1"
                class="trend"
                :counts="reason.trend"
                :width="12 * reason.trend.length"
                :height="14"
                role="img"
                :aria-hidden="false"
                :aria-label="`in the last deliveries ${reason.trend.map(count).join(', ')}`"
              /><em>{{ reason.name }}</em> {{ reason.phrase }}
              <span class="soft">{{ plural(reason.records, 'record') }}</span></span
            >
          </td>
        </tr>
      </tbody>
    </table>
  </main>
</template>

<style scoped>
.views {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 18px;
  padding: 4px 0 14px;
}
.views [aria-pressed='true'] {
  border-bottom: 2px solid var(--ink);
  color: var(--ink);
}
.board td {
  vertical-align: top;
}
.board .balance {
  width: 120px;
  padding-top: 9px;
}
.release {
  margin-left: 8px;
}
.told {
  display: block;
}
.file {
  margin-left: 8px;
}
.whole {
  display: block;
  font-size: 12px;
}
.reason {
  display: block;
}
.trend {
  margin-right: 8px;
  vertical-align: -2px;
}
em {
  font: 550 12.5px var(--mono);
}
</style>
