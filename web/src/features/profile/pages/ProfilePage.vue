<script setup lang="ts">
/** The profile: a register with a row for each column, and the sheet of the chosen one. */
import { api, unwrap } from '@/api/client'
import { useAddress } from '@/app/address'
import { useKeys } from '@/app/keys'
import { useDelivery, useTableAfter } from '@/features/delivery'
import { usePerson } from '@/features/session'
import { recordsLink } from '@/features/records'
import { count, further, plural, StateNote } from '@/shared'
import { useQuery } from '@tanstack/vue-query'
import { computed, useTemplateRef } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import ProposedChecksView from '../components/ProposedChecksView.vue'
import ColumnRegister from '../components/ColumnRegister.vue'
import ColumnSheet from '../components/ColumnSheet.vue'
import ReportView from '../components/ReportView.vue'
import FindingsView from '../components/FindingsView.vue'
import CrossFilterView from '../components/CrossFilterView.vue'
import ProfileViews from '../components/ProfileViews.vue'
import RelationsView from '../components/RelationsView.vue'
import CompareView from '../components/CompareView.vue'
import SuitabilityView from '../components/SuitabilityView.vue'
import VariantGroups from '../components/VariantGroups.vue'
import { provideTable } from '../logic/lookedAt'
import { useFindings, useFindingsList, type Listed } from '../logic/findings'
import { useRegister } from '../logic/register'
import { useSettling } from '../logic/settling'

const route = useRoute()
const router = useRouter()
const { query, ask } = useAddress()
const { id, delivery } = useDelivery()
const { mayWork } = usePerson()
const left = useTableAfter(id, delivery)
provideTable(left.table)
const asDelivered = useQuery({
  queryKey: ['profile', id],
  queryFn: () =>
    unwrap(api.GET('/api/deliveries/{delivery_id}/profile', { params: { path: { delivery_id: id.value } } })),
  enabled: () => ['read', 'reading'].includes(delivery.value?.state ?? ''),
  refetchInterval: (query) =>
    delivery.value?.state === 'reading' || query.state.data?.awaited ? 1000 : false,
  retry: false,
  staleTime: 60_000,
})
/** The profile that is looked at: as delivered, or as the rules leave the table. */
const data = computed(() => (left.after.value ? left.data.value?.profile : asDelivered.data.value))
const error = computed(() => (left.after.value ? left.error.value : asDelivered.error.value))
const { isLoading } = asDelivered
const { found, byColumn, methodOf, decide } = useFindings(
  id,
  () => delivery.value?.state === 'read' && (!left.after.value || left.table.value !== undefined),
  left.table,
)
const all = computed(() => found.data.value ?? [])
const VIEWS = [
  'findings', 'variants', 'cross-filter', 'relations', 'suitability', 'compare', 'checks', 'report',
] as const // prettier-ignore
const view = computed(() => VIEWS.find((name) => name === query.value.view) ?? 'register')
const { find, order, onlyMarked, lines, chosen, place } = useRegister(
  computed(() => data.value?.columns),
  byColumn,
  () => query.value.column,
)
const {
  find: findFinding,
  state,
  severity,
  listed,
  chosen: finding,
} = useFindingsList(all, () => query.value.finding)

/** Variants are looked for in the chosen column; at first in one that has some. */
const variantColumn = computed(() => {
  const asked = data.value?.columns.find(({ name }) => name === query.value.column)?.name
  const with_ = all.value.find(({ finding }) => finding.kind === 'spelling variants')?.finding.columns[0]
  return asked ?? with_ ?? data.value?.columns.find(({ role }) => role === 'category')?.name ?? ''
})
function choose(name: string | undefined): void {
  if (name) ask({ column: name })
}
function chooseFinding(id: string | undefined): void {
  if (id) ask({ finding: id })
}
function step(by: number): void {
  if (view.value === 'findings') chooseFinding(further(listed.value, finding.value, by)?.finding.id)
  else choose(further(lines.value, chosen.value, by)?.column.name)
}
const { settle, undo, last, isInHand } = useSettling(
  decide,
  () => (view.value === 'findings' && state.value !== '' ? listed.value : undefined),
  chooseFinding,
)
const desk = useTemplateRef('desk')
/** What a and x are about: the finding of the list, or the first open one of the column. */
const current = computed(() =>
  view.value === 'findings' ? finding.value : chosen.value?.findings.find((item) => !isInHand(item)),
)
const isOpen = (item: Listed | undefined): item is Listed =>
  item?.state === 'open' && mayWork.value && !isInHand(item)
useKeys({
  j: () => step(1),
  k: () => step(-1),
  w: () => {
    const query = {
      ...(route.query.column ? { column: route.query.column } : {}),
      ...(left.after.value ? { after: left.after.value } : {}),
    }
    void router.replace({ query: view.value === 'findings' ? query : { ...query, view: 'findings' } })
  },
  a: () => {
    const listedFinding = current.value
    if (isOpen(listedFinding) && listedFinding.finding.rule) settle('accept', listedFinding)
  },
  x: () => {
    if (view.value === 'findings' && isOpen(finding.value)) desk.value?.ask()
  },
  'Ctrl+z': undo,
  Enter: () => {
    if (current.value) void router.push(recordsLink(route, null, current.value.finding.filters))
  },
})
</script>

<template>
  <section class="profile">
    <ProfileViews
      v-if="asDelivered.data.value"
      :view="view"
      :slug="delivery?.feed.slug ?? ''"
      :columns="(data ?? asDelivered.data.value).columns.length"
      :findings="all.filter((listed) => listed.state === 'open').length"
    />
    <p v-if="left.data.value" class="soft so-far">
      {{ plural(left.data.value.profile.records, 'record') }} as the rules leave them;
      {{ count(left.data.value.quarantined) }} quarantined and {{ count(left.data.value.removed) }} removed
      are not among them. A rule that is made here stands behind the rule that is chosen.
      <span v-if="left.busy.value" role="status"
        >Measuring anew, {{ Math.round(100 * left.share.value) }} %</span
      >
    </p>
    <p v-else-if="data?.awaited" class="soft so-far" role="status">
      {{ data.columns.length }} of {{ plural(data.columns.length + data.awaited, 'column') }} are measured so
      far; findings come when all are
    </p>
    <div class="row">
      <StateNote
        v-if="delivery && !data && delivery.state !== 'read'"
        class="wait"
        :empty="
          delivery.state === 'failed'
            ? 'The delivery could not be read, so there is nothing to profile. Intake says why.'
            : 'The delivery is being read; its columns appear here one by one as they are measured.'
        "
      />
      <p v-else-if="left.after.value && left.busy.value && !left.data.value" class="wait" role="status">
        Applying the rules and measuring what they leave, {{ Math.round(100 * left.share.value) }} %
      </p>
      <StateNote v-else-if="!data" class="wait" :loading="isLoading" :error="error" />
      <CrossFilterView v-else-if="view === 'cross-filter'" :id="id" :profile="data" />
      <RelationsView v-else-if="view === 'relations'" :id="id" :profile="data" />
      <SuitabilityView v-else-if="view === 'suitability'" :id="id" :profile="data" />
      <CompareView v-else-if="view === 'compare' && delivery" :delivery="delivery" :after="left.data.value" />
      <ProposedChecksView v-else-if="view === 'checks'" :id="id" />
      <ReportView v-else-if="view === 'report' && delivery" :delivery="delivery" :profile="data" />
      <FindingsView
        v-else-if="view === 'findings'"
        ref="desk"
        v-model:find="findFinding"
        v-model:state="state"
        v-model:severity="severity"
        :shown="listed"
        :all="all"
        :unjudged="data.unjudged"
        :chosen="finding"
        :last="last"
        :method-of="methodOf"
        :may-work="mayWork"
        :busy="decide.isPending.value"
        :error="decide.error.value"
        @choose="chooseFinding"
        @settle="settle"
      />
      <section v-else-if="view === 'variants'" class="register" tabindex="0" aria-label="Spelling variants">
        <VariantGroups
          :id="id"
          :column="variantColumn"
          :columns="data.columns.map((column) => column.name)"
          :may-work="mayWork"
          @column="choose"
        />
      </section>
      <template v-else>
        <ColumnRegister
          v-model:find="find"
          v-model:order="order"
          v-model:only-marked="onlyMarked"
          :profile="data"
          :lines="lines"
          :chosen="chosen?.column.name"
          :masked="delivery?.masked ?? []"
          @choose="choose"
        />
        <ColumnSheet
          v-if="chosen"
          :column="chosen.column"
          :columns="data.columns"
          :findings="byColumn.get(chosen.column.name) ?? []"
          :method-of="methodOf"
          :busy="decide.isPending.value"
          :error="decide.error.value"
          :records="data.records"
          :is-left="left.after.value !== undefined"
          :place="place + 1"
          :of="lines.length"
          @step="step"
          @decide="settle"
        />
      </template>
    </div>
  </section>
</template>

<style scoped>
.profile {
  display: flex;
  flex: 1;
  flex-direction: column;
  min-width: 0;
  min-height: 0;
}
.row {
  display: flex;
  flex: 1;
  min-height: 0;
  border-top: 1px solid var(--hair);
}
.so-far {
  padding: 0 20px 6px;
}
.wait {
  padding: 20px;
}
</style>
