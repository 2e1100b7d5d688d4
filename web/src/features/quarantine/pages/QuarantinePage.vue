<script setup lang="ts">
/** Quarantine: reasons on the left, the cases behind them in the middle, on the right what to do with one or many. */
import { api, unwrap, type Schemas } from '@/api/client'
import { useAddress } from '@/app/address'
import { useKeys } from '@/app/keys'
import { useDelivery } from '@/features/delivery'
import { usePerson } from '@/features/session'
import { count, plural, StateNote } from '@/shared'
import { keepPreviousData, useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, nextTick, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import ActPanel from '../components/ActPanel.vue'
import AnswerFile from '../components/AnswerFile.vue'
import AmendRecord from '../components/AmendRecord.vue'
import CaseTable from '../components/CaseTable.vue'
import DecisionList from '../components/DecisionList.vue'
import KeyLine from '../components/KeyLine.vue'
import TrialReasons from '../components/TrialReasons.vue'
import ReasonList from '../components/ReasonList.vue'
import { putForSupplier } from '../logic/answer'
import { asParameters, chosenOf, endedIn, type About, type Standing } from '../logic/chosen'

const route = useRoute()
const queries = useQueryClient()
const { query, ask } = useAddress()
const { mayWork } = usePerson()
const { id, delivery, refresh } = useDelivery()
const SIZE = 100
const offset = ref(0)
const path = computed(() => ({ delivery_id: id.value }))
const overview = useQuery({
  queryKey: ['quarantined', id],
  queryFn: () =>
    unwrap(api.GET('/api/deliveries/{delivery_id}/quarantine', { params: { path: path.value } })),
  placeholderData: keepPreviousData,
})
const all = computed(() => overview.data.value)
const chosen = computed(() => chosenOf(route.query, all.value?.files ?? []))
const parameters = computed(() => asParameters(chosen.value))
watch(parameters, (now, before) => {
  if (JSON.stringify(now) !== JSON.stringify(before)) offset.value = 0
})
const hasRun = computed(() => Boolean(all.value?.run))
const counts = useQuery({
  queryKey: ['quarantined', id, 'counts', parameters],
  queryFn: () =>
    unwrap(
      api.GET('/api/deliveries/{delivery_id}/quarantine/counts', {
        params: { path: path.value, query: parameters.value },
      }),
    ),
  enabled: hasRun,
  placeholderData: keepPreviousData,
})
const page = useQuery({
  queryKey: ['quarantined', id, 'records', parameters, offset],
  queryFn: () =>
    unwrap(
      api.GET('/api/deliveries/{delivery_id}/quarantine/records', {
        params: { path: path.value, query: { ...parameters.value, offset: offset.value, limit: SIZE } },
      }),
    ),
  enabled: hasRun,
  placeholderData: keepPreviousData,
})
const rows = computed(() => page.data.value?.rows ?? [])
const total = computed(() => page.data.value?.total ?? 0)
const one = computed(
  () => rows.value.find((row) => String(row.record) === query.value.record) ?? rows.value[0],
)
const life = useQuery({
  queryKey: ['record', id, 'cells', computed(() => one.value?.record), computed(() => all.value?.run)],
  queryFn: () =>
    unwrap(
      api.GET('/api/deliveries/{delivery_id}/records/{record}/life', {
        params: { path: { ...path.value, record: one.value!.record }, query: { whole: false } },
      }),
    ),
  enabled: () => one.value !== undefined,
  placeholderData: keepPreviousData,
})
const mayDecide = computed(() => mayWork.value)
const isReturned = computed(() =>
  (all.value?.decisions ?? []).some((act) => act.kind === 'return' && act.holds),
)
const marked = ref(new Set<number>())
const isAllFit = ref(false)
watch(parameters, () => (isAllFit.value = false))
const which = computed<About>(() =>
  isAllFit.value
    ? { chosen: chosen.value, count: total.value }
    : { records: marked.value.size ? [...marked.value] : one.value ? [one.value.record] : [] },
)
const isMany = computed(() => isAllFit.value || marked.value.size > 1)
/** The column that is meant: of the reason that is looked at, else of the first reason of the chosen record. */
const firstColumn = computed(() => {
  const named = query.value.name ? String(query.value.name) : one.value?.reasons[0]?.name
  return named?.split(', ').find((name) => all.value?.columns.includes(name))
})

/** How many decisions were taken here: the form of a record begins anew after each, nothing typed is left to lose. */
const taken = ref(0)
async function decided(): Promise<void> {
  taken.value += 1
  marked.value = new Set()
  isAllFit.value = false
  await Promise.all([refresh(), queries.invalidateQueries({ queryKey: ['quarantined', id.value] })])
}
const amend = useMutation({
  mutationFn: ({ values, apply }: { values: Record<string, string | null>; apply: boolean }) =>
    unwrap(
      api.POST('/api/deliveries/{delivery_id}/decisions', {
        params: { path: path.value },
        body: {
          kind: 'amend', records: [one.value!.record], values, apply, ...(all.value?.run ? { run: all.value.run } : {}),
        } as Schemas['DecisionIn'],
      }),
    ),
  onSuccess: decided,
}) // prettier-ignore
const undo = useMutation({
  mutationFn: (decision: number) =>
    unwrap(
      api.POST('/api/deliveries/{delivery_id}/decisions/{decision_id}/undo', {
        params: { path: { ...path.value, decision_id: decision } },
      }),
    ),
  onSuccess: decided,
})
const send = useMutation({
  mutationFn: (decision: number) => unwrap(putForSupplier(id.value, decision)),
  onSuccess: decided,
})
const apply = useMutation({
  mutationFn: () =>
    unwrap(api.POST('/api/deliveries/{delivery_id}/decisions/apply', { params: { path: path.value } })),
  onSuccess: decided,
})
const busy = computed(
  () =>
    amend.isPending.value ||
    undo.isPending.value ||
    send.isPending.value ||
    apply.isPending.value ||
    Boolean(delivery.value?.job),
)

function choose(row: Schemas['HeldOut'] | undefined): void {
  if (!row) return
  ask({ record: String(row.record) })
  void nextTick(() => document.querySelector('.quarantined tr.on')?.scrollIntoView({ block: 'nearest' }))
}
function step(by: number): void {
  const at = rows.value.findIndex((row) => row === one.value)
  choose(rows.value[Math.max(0, Math.min(rows.value.length - 1, at + by))])
}
function mark(record: number): void {
  const next = new Set(marked.value)
  if (!next.delete(record)) next.add(record)
  marked.value = next
  isAllFit.value = false
}
function markAll(): void {
  const every = rows.value.map((row) => row.record)
  marked.value = every.every((record) => marked.value.has(record)) ? new Set() : new Set(every)
  isAllFit.value = false
}
const search = ref(typeof route.query.text === 'string' ? route.query.text : '')
function find(): void {
  ask({ text: search.value || undefined, record: undefined })
}
const STANDINGS: { standing: Standing; label: string; records: () => number }[] = [
  { standing: 'waiting', label: 'waiting', records: () => all.value?.waiting ?? 0 },
  { standing: 'settled', label: 'settled by a later delivery', records: () => all.value?.settled ?? 0 },
  { standing: 'again', label: 'came again, waiting there', records: () => all.value?.again ?? 0 },
]
const standings = computed(() => STANDINGS.filter((each) => each.standing === 'waiting' || each.records()))
const FORMS = [
  { form: 'csv', label: 'CSV', about: 'comma-separated text, for spreadsheets' },
  { form: 'xlsx', label: 'XLSX', about: 'a workbook, all of it text' },
  { form: 'jsonl', label: 'JSON', about: 'a JSON object in each line' },
  { form: 'parquet', label: 'Parquet', about: 'a columnar file' },
] // prettier-ignore
function fileOf(form: string): string {
  const said = Object.entries({ ...parameters.value, form }).filter(([, value]) => value !== undefined)
  const asked = new URLSearchParams(said.map(([name, value]) => [name, String(value)]))
  return `/api/deliveries/${id.value}/quarantine/file?${asked}`
}
const endings = computed(() => endedIn(all.value?.ended))
const released = computed(() => delivery.value?.release === 'published')
const router = useRouter()
function open(): void {
  if (one.value)
    void router.push({ name: 'record', params: { id: String(id.value), record: String(one.value.record) } })
}
useKeys({
  j: () => step(1),
  k: () => step(-1),
  x: () => one.value && mark(one.value.record),
  a: () => mayDecide.value && total.value && (isAllFit.value = !isAllFit.value),
  o: open,
  d: () => document.querySelector<HTMLInputElement>('.sheet .act input:checked')?.focus(),
  Enter: () => document.querySelector<HTMLInputElement>('.amend input.wrong, .amend input')?.focus(),
})
</script>

<template>
  <TrialReasons v-if="all?.trial" class="wait" :trial="all.trial" />
  <StateNote
    v-else-if="all && !all.run"
    class="wait"
    empty="Nothing is quarantined, because the rulebook has not been run over this delivery. Write checks in Rules, then press Run."
  />
  <StateNote
    v-else-if="!all"
    class="wait"
    :loading="overview.isLoading.value"
    :error="overview.error.value"
  />
  <template v-else>
    <ReasonList v-if="counts.data.value" :counts="counts.data.value" :files="all.files" :all="all.waiting" />
    <section class="quarantined" aria-label="Quarantined records">
      <KeyLine
        v-if="delivery"
        :slug="delivery.feed.slug"
        :feed-key="all.key"
        :columns="all.columns"
        :may-work="mayWork"
      />
      <div class="tools">
        <nav v-if="standings.length > 1" class="standings" aria-label="Which">
          <button
            v-for="each in standings"
            :key="each.standing"
            type="button"
            class="link"
            :aria-pressed="chosen.standing === each.standing"
            @click="
              ask({ standing: each.standing === 'waiting' ? undefined : each.standing, record: undefined })
            "
          >
            <b>{{ count(each.records()) }}</b> {{ each.label }}
          </button>
        </nav>
        <b v-else class="total">{{ plural(total, 'record') }}</b>
        <form role="search" @submit.prevent="find">
          <input
            v-model="search"
            class="field search"
            type="search"
            aria-label="Search in the quarantined records"
            placeholder="Search a value"
            @search="find"
          />
        </form>
        <button
          v-if="mayDecide && total > 1"
          type="button"
          class="link"
          :aria-pressed="isAllFit"
          @click="isAllFit = !isAllFit"
        >
          {{ isAllFit ? 'Only the chosen' : `Decide on all ${count(total)}` }}
        </button>
        <span v-if="total && !delivery?.masked?.length" class="files"
          ><a
            v-for="each in FORMS"
            :key="each.form"
            :href="fileOf(each.form)"
            :title="`The ${count(total)} records as a file: ${each.about}`"
            download
            >{{ each.label }}</a
          ></span
        >
      </div>
      <p v-if="all.not_applied" class="pending" role="status">
        {{ plural(all.not_applied, 'decision') }} not applied yet.
        <button v-if="mayDecide" type="button" class="link" :disabled="busy" @click="apply.mutate()">
          Apply now
        </button>
      </p>
      <p v-if="endings.length" class="soft">Decided or settled before: {{ endings.join(', ') }}.</p>
      <p v-if="released" class="soft">
        This delivery is released. What is decided now goes into a follow-up release.
      </p>
      <AnswerFile
        v-if="mayDecide && isReturned"
        :delivery="id"
        :busy="busy"
        :arrived="all.answers"
        @applied="decided"
      />
      <StateNote :error="page.error.value ?? undo.error.value ?? send.error.value ?? apply.error.value" />
      <StateNote
        v-if="!rows.length && page.data.value && !page.error.value"
        empty="No record is quarantined for this. Everything is decided, or nothing broke a check."
      />
      <CaseTable
        v-if="rows.length && page.data.value"
        :page="page.data.value"
        :chosen="one?.record"
        :marked="marked"
        :may-decide="mayDecide"
        @choose="choose"
        @mark="mark"
        @mark-all="markAll"
      />
      <p v-if="total > SIZE" class="tools">
        {{ count(offset + 1) }} to {{ count(Math.min(offset + SIZE, total)) }} of {{ count(total) }}
        <button v-if="offset" type="button" class="link" @click="offset -= SIZE">Earlier</button>
        <button v-if="offset + SIZE < total" type="button" class="link" @click="offset += SIZE">Later</button>
      </p>
      <template v-if="all.decisions.length">
        <h3>Decisions</h3>
        <DecisionList
          :decisions="all.decisions"
          :delivery="id"
          :files="all.files"
          :may-decide="mayDecide"
          :busy="busy"
          @undo="(decision) => undo.mutate(decision)"
          @send="(decision) => send.mutate(decision)"
        />
      </template>
    </section>
    <aside
      v-if="one"
      class="sheet"
      tabindex="0"
      :aria-label="isMany ? 'Decide on many' : `Record ${one.record}`"
    >
      <template v-if="isMany">
        <h2>{{ isAllFit ? `All ${count(total)} that fit` : plural(marked.size, 'marked record') }}</h2>
      </template>
      <AmendRecord
        v-else-if="life.data.value && life.data.value.record === one.record"
        :key="`${one.record} ${page.data.value?.run} ${taken}`"
        :delivery="id"
        :record="life.data.value"
        :may-decide="mayDecide"
        :busy="busy"
        @amend="(values, now) => amend.mutate({ values, apply: now })"
      />
      <StateNote v-else :loading="life.isLoading.value" :error="life.error.value" />
      <StateNote :error="amend.error.value" />
      <ActPanel
        v-if="mayDecide"
        class="decide"
        :delivery="id"
        :run="all.run"
        :which="which"
        :columns="all.columns"
        :people="all.people"
        :feed-key="all.key"
        :first="firstColumn"
        :is-many="isMany"
        @decided="decided"
      />
    </aside>
  </template>
</template>

<style scoped>
.wait {
  padding: 20px;
}
.quarantined {
  flex: 1;
  min-width: 0;
  padding: 0 16px 16px;
  overflow: auto;
}
.total {
  color: var(--ink);
  font-weight: 650;
}
.standings {
  display: flex;
  gap: 14px;
}
.standings [aria-pressed='true'] {
  border-bottom: 2px solid var(--ink);
  color: var(--ink);
}
.search {
  width: 130px;
}
.files {
  display: flex;
  gap: 10px;
  margin-left: auto;
}
.pending {
  border-left: 3px solid var(--ink);
  margin: 4px 0;
  padding: 4px 10px;
  background: var(--wash);
}
h2 {
  font-size: 15px;
  font-weight: 650;
}
h3 {
  padding: 16px 0 4px;
  font-size: 13px;
  font-weight: 650;
}
.sheet {
  width: 380px;
  flex: none;
  border-left: 1px solid var(--hair);
  padding: 12px 18px;
  background: var(--sheet);
  overflow: auto;
}
.decide {
  margin-top: 14px;
  border-top: 1px solid var(--ink);
  padding-top: 4px;
}
</style>
