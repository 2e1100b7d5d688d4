<script setup lang="ts">
/** The profile: a register with a row for each column, and the sheet of the chosen one. */
import { api, unwrap } from '@/api/client'
import { useAddress } from '@/app/address'
import { useKeys } from '@/app/keys'
import { useDelivery, useTableAfter } from '@/features/delivery'
import { usePerson } from '@/features/session'
import { recordsLink } from '@/features/records'
import { count, MiniBars, plural, share, StateNote } from '@/shared'
import { useQuery } from '@tanstack/vue-query'
import { computed, nextTick, reactive, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import ProposedChecksView from '../components/ProposedChecksView.vue'
import ColumnSheet from '../components/ColumnSheet.vue'
import ReportView from '../components/ReportView.vue'
import FindingCard from '../components/FindingCard.vue'
import CrossFilterView from '../components/CrossFilterView.vue'
import ProfileViews from '../components/ProfileViews.vue'
import RelationsView from '../components/RelationsView.vue'
import CompareView from '../components/CompareView.vue'
import SuitabilityView from '../components/SuitabilityView.vue'
import VariantGroups from '../components/VariantGroups.vue'
import FindingsList from '../components/FindingsList.vue'
import { provideTable } from '../logic/lookedAt'
import { brief, nextAfter, pressing, useFindings, type Listed } from '../logic/findings'

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
const find = ref('')
const order = ref<'table' | 'worst' | 'role'>('table')
const onlyMarked = ref(false)
const RANK = { high: 10_000, middle: 100, low: 1 }
const rows = computed(() => {
  const profile = data.value
  if (!profile) return []
  const word = find.value.toLowerCase()
  const shown = profile.columns
    .map((column) => ({
      column,
      findings: (byColumn.value.get(column.name) ?? []).filter((item) => item.state === 'open'),
    }))
    .filter(
      ({ column, findings }) =>
        column.name.toLowerCase().includes(word) && (!onlyMarked.value || findings.some(pressing)),
    )
  const weight = (row: (typeof shown)[number]) =>
    row.findings.reduce((sum, { finding }) => sum + RANK[finding.severity] + finding.share, 0)
  if (order.value === 'worst') shown.sort((a, b) => weight(b) - weight(a))
  if (order.value === 'role') shown.sort((a, b) => a.column.role.localeCompare(b.column.role))
  return shown
})
const chosen = computed(
  () => rows.value.find(({ column }) => column.name === query.value.column) ?? rows.value[0],
)
const place = computed(() => rows.value.findIndex((row) => row === chosen.value))

const findFinding = ref('')
const state = ref('open')
const severity = ref('')
const listed = computed(() => {
  const word = findFinding.value.toLowerCase()
  return all.value.filter(
    ({ finding, state: now }) =>
      (!state.value || now === state.value) &&
      (!severity.value ||
        finding.severity === 'high' ||
        (severity.value === 'middle' && finding.severity !== 'low')) &&
      `${finding.columns.join(' ')} ${finding.kind}`.toLowerCase().includes(word),
  )
})
const finding = computed(
  () => listed.value.find((item) => item.finding.id === query.value.finding) ?? listed.value[0],
)

/** Variants are looked for in the chosen column; at first in one that has some. */
const variantColumn = computed(() => {
  const asked = data.value?.columns.find(({ name }) => name === query.value.column)?.name
  const with_ = all.value.find(({ finding }) => finding.kind === 'spelling variants')?.finding.columns[0]
  return asked ?? with_ ?? data.value?.columns.find(({ role }) => role === 'category')?.name ?? ''
})
function choose(name: string | undefined): void {
  if (!name) return
  ask({ column: name })
  void nextTick(() => document.querySelector('.register tr.on')?.scrollIntoView({ block: 'nearest' }))
}
function chooseFinding(id: string | undefined): void {
  if (!id) return
  ask({ finding: id })
  void nextTick(() => document.querySelector('.register tr.on')?.scrollIntoView({ block: 'nearest' }))
}
function step(by: number): void {
  if (view.value === 'findings') {
    const at = listed.value.findIndex((item) => item === finding.value) + by
    chooseFinding(listed.value[Math.max(0, Math.min(listed.value.length - 1, at))]?.finding.id)
  } else choose(rows.value[Math.max(0, Math.min(rows.value.length - 1, place.value + by))]?.column.name)
}
/** Decide, one after the other. The next finding of the list takes the place of one that leaves it at once, so that
 * nobody waits for the answer before deciding on; one that was refused is shown again, with the reason. */
function settle(what: 'accept' | 'dismiss' | 'reopen', decided: Listed, reason = ''): void {
  const id = decided.finding.id
  inHand.add(id)
  const gone = [...[...inHand].filter((other) => other !== id), id]
  const leaves = view.value === 'findings' && state.value !== ''
  if (leaves) chooseFinding(nextAfter(listed.value, gone))
  deciding = deciding
    .then(() => decide.mutateAsync({ what, ids: [id], reason }))
    .then(() => void (lastDecided.value = what === 'reopen' ? undefined : decided))
    .catch(() => void (leaves && chooseFinding(id)))
    .finally(() => inHand.delete(id))
}
const inHand = reactive(new Set<string>())
let deciding = Promise.resolve()
const lastDecided = ref<Listed>()
const card = ref<InstanceType<typeof FindingCard>>()
/** What a and x are about: the finding of the list, or the first open one of the column. */
const current = computed(() =>
  view.value === 'findings'
    ? finding.value
    : chosen.value?.findings.find((eachFinding) => !inHand.has(eachFinding.finding.id)),
)
const isOpen = (item: Listed | undefined): item is Listed =>
  item?.state === 'open' && mayWork.value && !inHand.has(item.finding.id)
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
    if (view.value === 'findings' && isOpen(finding.value)) card.value?.ask()
  },
  'Ctrl+z': () => {
    void deciding.then(() => lastDecided.value && settle('reopen', lastDecided.value))
  },
  Enter: () => {
    if (current.value) void router.push(recordsLink(route, null, current.value.finding.filters))
  },
})
const present = (missing: number, tokens: number) => (data.value?.records ?? 0) - missing - tokens
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
      <template v-else-if="view === 'findings'">
        <section class="register" tabindex="0" aria-label="Findings">
          <FindingsList
            v-model:find="findFinding"
            v-model:state="state"
            v-model:severity="severity"
            :shown="listed"
            :all="all"
            :chosen="finding?.finding.id"
            @choose="chooseFinding"
          />
        </section>
        <aside class="sheet" tabindex="0" aria-label="Finding">
          <StateNote :error="decide.error.value" />
          <FindingCard
            v-if="finding"
            ref="card"
            :listed="finding"
            :method="methodOf(finding.finding.kind)"
            :may-work="mayWork"
            :busy="decide.isPending.value"
            keys
            @accept="settle('accept', finding)"
            @dismiss="(reason) => settle('dismiss', finding!, reason)"
            @reopen="settle('reopen', finding)"
          />
          <p v-if="lastDecided" class="soft last" role="status">
            {{ lastDecided.finding.says.slice(0, 60) }}… is settled.
            <button type="button" class="link" @click="settle('reopen', lastDecided)">Undo</button>
          </p>
        </aside>
      </template>
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
        <section class="register" tabindex="0" aria-label="Columns">
          <div class="tools">
            <label class="hidden-label" for="find-column">Find a column</label>
            <input id="find-column" v-model="find" class="field find" placeholder="Find a column" />
            <span>{{ plural(rows.length, 'column') }}</span>
            <label class="hidden-label" for="order-columns">Order</label>
            <select id="order-columns" v-model="order" class="field order">
              <option value="table">in table order</option>
              <option value="worst">worst first</option>
              <option value="role">by role</option>
            </select>
            <label class="check"><input v-model="onlyMarked" type="checkbox" /> with findings</label>
            <span class="facts">
              <RouterLink class="door" :to="recordsLink(route, null, [{ on: 'any missing' }])"
                >{{ count(data.missing_cells) }} missing</RouterLink
              >
              <RouterLink class="door" :to="recordsLink(route, null, [{ on: 'repeated' }])"
                >{{ count(data.duplicate_records) }} repeated</RouterLink
              >
            </span>
          </div>
          <table class="lines choices">
            <thead>
              <tr>
                <th class="num">#</th>
                <th>Column</th>
                <th>Type and role</th>
                <th>Filled</th>
                <th class="num">Distinct</th>
                <th>Distribution</th>
                <th>Typical</th>
                <th>Findings</th>
              </tr>
            </thead>
            <tbody>
              <tr
                v-for="{ column, findings } in rows"
                :key="column.name"
                :class="{ on: column.name === chosen?.column.name }"
                @click="choose(column.name)"
              >
                <td class="num soft">{{ column.position }}</td>
                <td class="name">
                  <button
                    type="button"
                    :title="column.name"
                    :aria-pressed="column.name === chosen?.column.name"
                  >
                    {{ column.name }}
                  </button>
                </td>
                <td>{{ column.type }}, {{ column.role }}</td>
                <td>
                  <span class="fill"
                    ><u
                      :style="{
                        width: `${(100 * present(column.missing, column.kinds['missing token'] ?? 0)) / (data.records || 1)}%`,
                      }"
                    ></u
                  ></span>
                  <span class="mono soft">{{
                    share(present(column.missing, column.kinds['missing token'] ?? 0), data.records)
                  }}</span>
                </td>
                <td class="num">{{ count(column.distinct) }}</td>
                <td>
                  <MiniBars
                    :counts="column.distribution.bins.map((bin) => bin.count)"
                    :outer="column.distribution.bins.map((bin) => bin.outer ?? false)"
                    :width="56"
                  />
                </td>
                <td class="mono typical" :title="column.values[0]?.value">
                  {{ column.values[0]?.value ?? (delivery?.masked?.includes(column.name) ? '•••' : '') }}
                </td>
                <td class="remark" :title="findings.map(({ finding }) => finding.says).join('\n')">
                  <template v-if="findings[0]">
                    <span v-if="!findings[0].finding.filters?.length">{{ brief(findings[0].finding) }}</span>
                    <RouterLink
                      v-else
                      class="door"
                      :class="{ strong: findings[0].finding.severity !== 'low' }"
                      :to="recordsLink(route, null, findings[0].finding.filters)"
                      @click.stop
                      >{{ brief(findings[0].finding) }}</RouterLink
                    >
                    <span v-if="findings.length > 1" class="soft more">+{{ findings.length - 1 }}</span>
                  </template>
                </td>
              </tr>
            </tbody>
          </table>
          <StateNote
            v-if="!rows.length && !data.awaited"
            empty="No column fits. Clear the search, or show columns without findings too."
          />
        </section>
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
          :of="rows.length"
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
.find {
  width: 108px;
}
.order {
  width: auto;
  font-family: var(--sans);
}
.check {
  display: flex;
  gap: 5px;
  align-items: center;
}
.facts {
  display: flex;
  gap: 15px;
  margin-left: auto;
}
.num + td,
.num + th {
  padding-left: 0 !important;
}
td.num:first-child {
  width: 32px;
  padding-left: 6px;
}
.fill {
  display: inline-block;
  width: 30px;
  height: 3px;
  margin-right: 5px;
  background: var(--hair);
  vertical-align: middle;
}
u {
  display: block;
  height: 3px;
  background: var(--ink);
}
.typical {
  max-width: 88px;
  overflow: hidden;
  text-overflow: ellipsis;
}
.remark {
  width: 30%;
  max-width: 120px;
  overflow: hidden;
  text-overflow: ellipsis;
}
.door {
  color: var(--ink);
}
.remark .door {
  display: inline-block;
  max-width: calc(100% - 28px);
  overflow: hidden;
  text-overflow: ellipsis;
  vertical-align: bottom;
}
.more {
  margin-left: 6px;
}
.strong {
  font-weight: 650;
}
.last {
  border-top: 1px solid var(--hair);
  padding-top: 8px;
}
</style>
