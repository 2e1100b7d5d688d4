<script setup lang="ts">
/** All deliveries with records in quarantine. */
import { api, unwrap } from '@/api/client'
import { BalanceBar, count, minute, plural, StateNote } from '@/shared'
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'

const { data, error, isLoading } = useQuery({
  queryKey: ['quarantine'],
  queryFn: () => unwrap(api.GET('/api/quarantine')),
})
/** The newest delivery of each feed that has several here: beside it all of the feed are offered as one file. */
const firstOfSeveral = computed(() => {
  const lines = data.value ?? []
  const first = lines.filter(
    (line, at) => lines.findIndex((other) => other.delivery.feed.slug === line.delivery.feed.slug) === at,
  )
  const several = first.filter(
    (line) => lines.filter((other) => other.delivery.feed.slug === line.delivery.feed.slug).length > 1,
  )
  return new Set(several.map((line) => line.delivery.id))
})
</script>

<template>
  <main class="page">
    <h1>Quarantine</h1>
    <StateNote :loading="isLoading" :error="error" />
    <StateNote
      v-if="data && !data.length"
      empty="No record is in quarantine. Records that break a check are listed here until somebody decides."
    />
    <table v-if="data?.length" class="lines board">
      <thead>
        <tr>
          <th>Delivery</th>
          <th>Balance</th>
          <th class="num">Waiting</th>
          <th>Since</th>
          <th>Most frequent reasons</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="line in data" :key="line.delivery.id">
          <td>
            <RouterLink :to="{ name: 'quarantine', params: { id: line.delivery.id } }"
              >{{ line.delivery.feed.name }}, delivery {{ line.delivery.number }}</RouterLink
            >
            <span v-if="line.delivery.release" class="soft release">{{ line.delivery.release }}</span>
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
            <span v-for="reason in line.reasons" :key="`${reason.rule} ${reason.name}`" class="reason"
              ><em>{{ reason.name }}</em> {{ reason.phrase }}
              <span class="soft">{{ plural(reason.records, 'record') }}</span></span
            >
          </td>
        </tr>
      </tbody>
    </table>
  </main>
</template>

<style scoped>
.board .balance {
  width: 160px;
  padding-top: 9px;
  vertical-align: top;
}
.release {
  margin-left: 8px;
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
em {
  font: 550 12.5px var(--mono);
}
</style>
