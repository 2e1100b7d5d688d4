<script setup lang="ts">
/** All deliveries with records in quarantine. */
import { api, unwrap } from '@/api/client'
import { BalanceBar, count, minute, plural, StateNote } from '@/shared'
import { useQuery } from '@tanstack/vue-query'

const { data, error, isLoading } = useQuery({
  queryKey: ['quarantine'],
  queryFn: () => unwrap(api.GET('/api/quarantine')),
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
          </td>
          <td class="balance"><BalanceBar :balance="line.delivery.balance" :height="9" /></td>
          <td class="num">
            {{ count(line.records) }}
            <a
              class="file"
              :href="`/api/feeds/${line.delivery.feed.slug}/quarantine/file`"
              :title="`All waiting records of ${line.delivery.feed.name} as CSV`"
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
.reason {
  display: block;
}
em {
  font: 550 12.5px var(--mono);
}
</style>
