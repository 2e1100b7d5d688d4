<script setup lang="ts">
/** Intake: each source as it is and what it becomes; how all become one table; totals; rejected lines. */
import { api, unwrap } from '@/api/client'
import { useAddress } from '@/app/address'
import { useKeys } from '@/app/keys'
import { useDelivery } from '@/features/delivery'
import { usePerson } from '@/features/session'
import { bytes, count, plural, StateNote } from '@/shared'
import { keepPreviousData, useMutation, useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import ColumnsView from '../components/ColumnsView.vue'
import DesignView from '../components/DesignView.vue'
import RejectedLines from '../components/RejectedLines.vue'
import SourceView from '../components/SourceView.vue'
import TotalsView from '../components/TotalsView.vue'

const { query, ask } = useAddress()
const { mayWork } = usePerson()
const { id, delivery, refresh } = useDelivery()
const path = computed(() => ({ delivery_id: id.value }))
const sources = useQuery({
  queryKey: ['sources', id, computed(() => delivery.value?.state)],
  queryFn: () => unwrap(api.GET('/api/deliveries/{delivery_id}/sources', { params: { path: path.value } })),
  placeholderData: keepPreviousData,
  // a file shows its first records and how it is read while all of it is read
  refetchInterval: ({ state: { data } }) =>
    delivery.value?.state === 'reading' && !(data?.length && data.every((each) => each.settings))
      ? 500
      : false,
})
const VIEWS = ['together', 'columns', 'totals', 'rejected'] as const
const view = computed(() =>
  query.value.rejected === '1' ? 'rejected' : VIEWS.find((name) => name === query.value.view),
)
const source = computed(
  () =>
    sources.data.value?.find((eachSource) => eachSource.id === Number(query.value.source)) ??
    sources.data.value?.[0],
)
function step(by: number): void {
  const all = sources.data.value ?? []
  const next = all[all.findIndex((item) => item.id === source.value?.id) + by]
  if (next) ask({ source: String(next.id) }, {})
}
useKeys({ j: () => step(1), k: () => step(-1) })
const again = useMutation({
  mutationFn: () => unwrap(api.POST('/api/deliveries/{delivery_id}/read', { params: { path: path.value } })),
  onSettled: refresh,
})
const problem = computed(() => {
  const error = delivery.value?.error as
    { title?: string; detail?: string; advice?: string; where?: { file?: string } } | null | undefined
  if (!error) return ''
  const where = error.where?.file ? ` (${error.where.file})` : ''
  return `${error.detail ?? error.title ?? ''}${where} ${error.advice ?? ''}`
})
const links = computed(() => {
  const it = delivery.value
  return [
    {
      view: 'together',
      label: 'One table',
      note: it?.changes_open ? `${plural(it.changes_open, 'change')} to settle` : '',
    },
    { view: 'columns', label: 'Columns', note: it?.columns.length ? count(it.columns.length) : '' },
    { view: 'totals', label: 'Control totals', note: it?.totals_wrong ? `${it.totals_wrong} differ` : '' },
    { view: 'rejected', label: 'Rejected lines', note: it ? count(it.balance.rejected) : '' },
  ]
})
</script>

<template>
  <section class="intake">
    <StateNote v-if="!sources.data.value" :loading="sources.isLoading.value" :error="sources.error.value" />
    <div v-if="problem" class="failed" role="alert">
      <p><b>The delivery could not be read.</b> {{ problem }}</p>
      <p v-if="mayWork">
        The bytes are kept.
        {{ sources.data.value?.length ? 'Change the settings below, or' : 'Deliver other files, or' }}
        <button type="button" class="link" @click="again.mutate()">read it again</button>.
      </p>
    </div>
    <nav v-if="sources.data.value" class="files" aria-label="Sources and what they become">
      <div class="sources">
        <RouterLink
          v-for="eachSource in sources.data.value"
          :key="eachSource.id"
          :to="{ query: { source: eachSource.id } }"
          :class="{ on: eachSource.id === source?.id && !view, out: eachSource.left_out }"
          :aria-current="eachSource.id === source?.id && !view"
        >
          <span class="mono">{{ eachSource.name }}</span>
          <small class="soft">{{
            eachSource.left_out
              ? 'left out'
              : eachSource.counts
                ? plural(eachSource.counts.records, 'record')
                : bytes(eachSource.file.size)
          }}</small>
        </RouterLink>
        <span v-if="!sources.data.value.length && delivery?.state === 'reading'" class="soft"
          >the files are being looked at</span
        >
      </div>
      <div class="views">
        <RouterLink
          v-for="link in links"
          :key="link.view"
          :to="{ query: { view: link.view } }"
          :class="{ on: view === link.view }"
          :aria-current="view === link.view"
          >{{ link.label
          }}<small v-if="link.note" :class="{ waits: link.note.includes(' ') }">{{
            link.note
          }}</small></RouterLink
        >
      </div>
    </nav>
    <RejectedLines v-if="view === 'rejected'" :delivery="id" />
    <DesignView v-else-if="view === 'together'" />
    <ColumnsView v-else-if="view === 'columns'" />
    <TotalsView v-else-if="view === 'totals'" />
    <SourceView
      v-else-if="source"
      :source="source"
      :alone="(sources.data.value ?? []).filter((each) => !each.left_out).length < 2 && !source.left_out"
    />
  </section>
</template>

<style scoped>
.intake {
  display: flex;
  flex: 1;
  flex-direction: column;
  min-width: 0;
  padding-left: 20px;
}
.files {
  display: flex;
  gap: 20px;
  justify-content: space-between;
  padding: 9px 20px 8px 0;
}
.sources,
.views {
  display: flex;
  gap: 4px 18px;
  align-items: baseline;
}
.sources {
  flex-wrap: wrap;
  max-height: 74px;
  overflow: auto;
}
a {
  display: flex;
  gap: 7px;
  align-items: baseline;
  color: var(--soft);
  white-space: nowrap;
}
.views a {
  color: var(--press);
}
a.on {
  box-shadow: 0 2px 0 var(--ink);
  color: var(--ink);
}
.out span {
  text-decoration: line-through;
}
small {
  font-size: 12px;
}
.waits {
  font-weight: 650;
}
.failed {
  margin: 10px 20px 4px 0;
  border-left: 3px solid var(--ink);
  padding: 4px 12px;
}
</style>
