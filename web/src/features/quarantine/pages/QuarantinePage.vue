<script setup lang="ts">
/** Quarantine: reasons on the left, their records in the middle, the chosen record on the right. */
import { api, unwrap, type Schemas } from '@/api/client'
import { useAddress } from '@/app/address'
import { useKeys } from '@/app/keys'
import { useDelivery } from '@/features/delivery'
import { usePerson } from '@/features/session'
import { count, DataValue, minute, plural, StateNote } from '@/shared'
import { keepPreviousData, useMutation, useQuery } from '@tanstack/vue-query'
import { computed, nextTick, ref, watch } from 'vue'
import { useRoute } from 'vue-router'
import AmendRecord from '../components/AmendRecord.vue'
import ReasonList from '../components/ReasonList.vue'

const route = useRoute()
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
const reason = computed(() => {
  const [rule, name] = [route.query.rule, route.query.name]
  return overview.data.value?.reasons.find((reason) => String(reason.rule) === rule && reason.name === name)
})
const asked = computed(() => (reason.value ? { rule: reason.value.rule, name: reason.value.name } : {}))
watch(asked, () => (offset.value = 0))
const page = useQuery({
  queryKey: ['quarantined', id, asked, offset],
  queryFn: () =>
    unwrap(
      api.GET('/api/deliveries/{delivery_id}/quarantine/records', {
        params: { path: path.value, query: { ...asked.value, offset: offset.value, limit: SIZE } },
      }),
    ),
  placeholderData: keepPreviousData,
})
const rows = computed(() => page.data.value?.rows ?? [])
const decisions = computed(
  () => new Map((overview.data.value?.decisions ?? []).map((decision) => [decision.record, decision])),
)
const chosen = computed(
  () => rows.value.find((row) => String(row.record) === query.value.record) ?? rows.value[0],
)
const released = computed(
  () => delivery.value?.release === 'published' || delivery.value?.release === 'publishing',
)
const mayDecide = computed(() => mayWork.value && !released.value)
const marked = ref(new Set<number>())
const about = computed(() =>
  marked.value.size ? [...marked.value] : chosen.value ? [chosen.value.record] : [],
)
const why = ref('')

const decide = useMutation({
  mutationFn: (body: Schemas['DecisionIn']) =>
    unwrap(api.POST('/api/deliveries/{delivery_id}/decisions', { params: { path: path.value }, body })),
  onSuccess: async () => {
    marked.value = new Set()
    why.value = ''
    await refresh()
  },
})
const takeBack = useMutation({
  mutationFn: (record: number) =>
    unwrap(
      api.POST('/api/deliveries/{delivery_id}/decisions/take-back', {
        params: { path: path.value },
        body: { records: [record] },
      }),
    ),
  onSuccess: refresh,
})

function choose(row: Schemas['HeldOut'] | undefined): void {
  if (!row) return
  ask({ record: String(row.record) })
  void nextTick(() => document.querySelector('.quarantined tr.on')?.scrollIntoView({ block: 'nearest' }))
}
function step(by: number): void {
  const at = rows.value.findIndex((row) => row === chosen.value)
  choose(rows.value[Math.max(0, Math.min(rows.value.length - 1, at + by))])
}
function mark(record: number): void {
  const next = new Set(marked.value)
  if (!next.delete(record)) next.add(record)
  marked.value = next
}
function markAll(): void {
  marked.value =
    marked.value.size === rows.value.length ? new Set() : new Set(rows.value.map((row) => row.record))
}
useKeys({
  j: () => step(1),
  k: () => step(-1),
  Enter: () => document.querySelector<HTMLInputElement>('.amend input.wrong, .amend input')?.focus(),
})
const settled = computed(() =>
  (overview.data.value?.decisions ?? []).filter(
    (decision) => !rows.value.some((row) => row.record === decision.record),
  ),
)
</script>

<template>
  <StateNote
    v-if="overview.data.value && !overview.data.value.run"
    class="wait"
    empty="Nothing is quarantined, because the rulebook has not been run over this delivery. Write checks in Rules, then press Run."
  />
  <StateNote
    v-else-if="!overview.data.value"
    class="wait"
    :loading="overview.isLoading.value"
    :error="overview.error.value"
  />
  <template v-else>
    <ReasonList :overview="overview.data.value" :chosen="reason" />
    <section class="quarantined" aria-label="Quarantined records">
      <div class="tools">
        <b class="total">{{ plural(page.data.value?.total ?? 0, 'record') }}</b>
        <span v-if="reason"
          ><em>{{ reason.name }}</em> {{ reason.phrase }}</span
        >
        <span v-else>for all reasons</span>
        <span class="since">{{
          overview.data.value.since ? `since ${minute(overview.data.value.since)}` : ''
        }}</span>
      </div>
      <p v-if="released" class="soft">
        This delivery is released. Withdraw the release to decide on its records again.
      </p>
      <StateNote
        v-if="!rows.length && page.data.value"
        empty="No record is quarantined for this. Everything is decided, or nothing broke a check."
      />
      <table v-if="rows.length" class="lines">
        <thead>
          <tr>
            <th v-if="mayDecide" class="box">
              <input
                type="checkbox"
                aria-label="mark all on this page"
                :checked="marked.size === rows.length"
                @change="markAll"
              />
            </th>
            <th class="num">Record</th>
            <th>File, line</th>
            <th>Why it is quarantined</th>
          </tr>
        </thead>
        <tbody>
          <tr
            v-for="row in rows"
            :key="row.record"
            :class="{ on: row.record === chosen?.record }"
            @click="choose(row)"
          >
            <td v-if="mayDecide" class="box">
              <input
                type="checkbox"
                :aria-label="`mark record ${row.record}`"
                :checked="marked.has(row.record)"
                @click.stop
                @change="mark(row.record)"
              />
            </td>
            <td class="num">
              <button
                type="button"
                class="record"
                :aria-pressed="row.record === chosen?.record"
                @click.stop="choose(row)"
              >
                {{ count(row.record) }}
              </button>
            </td>
            <td class="mono soft origin">{{ page.data.value?.files[row.file] }} {{ row.line }}</td>
            <td>
              <span v-for="(eachReason, i) in row.reasons" :key="i" class="reason"
                ><em>{{ eachReason.name }}</em> <DataValue :value="eachReason.value" />
                {{ eachReason.phrase }}</span
              >
              <span v-if="decisions.get(row.record)" class="soft"
                >{{ decisions.get(row.record)?.kind }} by {{ decisions.get(row.record)?.who }}, still breaks a
                check</span
              >
            </td>
          </tr>
        </tbody>
      </table>
      <p v-if="(page.data.value?.total ?? 0) > SIZE" class="tools">
        {{ count(offset + 1) }} to {{ count(Math.min(offset + SIZE, page.data.value?.total ?? 0)) }}
        <button v-if="offset" type="button" class="link" @click="offset -= SIZE">Earlier</button>
        <button
          v-if="offset + SIZE < (page.data.value?.total ?? 0)"
          type="button"
          class="link"
          @click="offset += SIZE"
        >
          Later
        </button>
      </p>
      <template v-if="settled.length">
        <h3>Decided</h3>
        <table class="lines">
          <tbody>
            <tr v-for="item in settled" :key="item.record">
              <td class="num">{{ count(item.record) }}</td>
              <td>
                {{
                  item.kind === 'amend'
                    ? 'amended'
                    : item.kind === 'accept'
                      ? 'accepted as exception'
                      : 'discarded'
                }}
              </td>
              <td>
                <span v-for="(value, name) in item.values" :key="name" class="reason"
                  ><em>{{ name }}</em> <DataValue :value="value"
                /></span>
                {{ item.justification }}
              </td>
              <td class="soft">{{ item.who }}, {{ minute(item.at) }}</td>
              <td class="num">
                <button v-if="mayDecide" type="button" class="link" @click="takeBack.mutate(item.record)">
                  Undo decision
                </button>
              </td>
            </tr>
          </tbody>
        </table>
      </template>
    </section>
    <aside v-if="chosen" class="sheet" tabindex="0" :aria-label="`Record ${chosen.record}`">
      <AmendRecord
        :key="`${chosen.record} ${page.data.value?.run}`"
        :delivery="id"
        :record="chosen"
        :columns="page.data.value?.columns ?? []"
        :may-decide="mayDecide"
        :busy="decide.isPending.value || Boolean(delivery?.job)"
        @amend="
          (values) => decide.mutate({ records: [chosen!.record], kind: 'amend', values, justification: '' })
        "
      />
      <form v-if="mayDecide" class="decide" @submit.prevent>
        <label for="why"
          >Why {{ marked.size > 1 ? `(for the ${count(marked.size)} marked records)` : '' }}</label
        >
        <input
          id="why"
          v-model="why"
          class="field"
          placeholder="needed to accept or discard"
          maxlength="2000"
        />
        <div class="acts">
          <button
            type="button"
            class="btn"
            :disabled="!why.trim() || decide.isPending.value"
            @click="decide.mutate({ records: about, kind: 'accept', values: {}, justification: why })"
          >
            Accept {{ count(about.length) }} as exception
          </button>
          <button
            type="button"
            class="btn"
            :disabled="!why.trim() || decide.isPending.value"
            @click="decide.mutate({ records: about, kind: 'discard', values: {}, justification: why })"
          >
            Discard {{ count(about.length) }}
          </button>
        </div>
      </form>
      <StateNote :error="decide.error.value ?? takeBack.error.value" />
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
.since {
  margin-left: auto;
}
em {
  font: 550 12.5px var(--mono);
}
tr {
  cursor: pointer;
}
tr.on td {
  background: var(--wash);
}
tr.on td:first-child {
  box-shadow: inset 3px 0 0 var(--ink);
}
.box {
  width: 26px;
  padding-left: 8px !important;
}
.record {
  border: 0;
  padding: 0;
  background: none;
  color: var(--ink);
  font: inherit;
  cursor: pointer;
}
.origin {
  white-space: nowrap;
}
.reason {
  display: block;
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
  padding-top: 8px;
}
.decide label {
  color: var(--soft);
}
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  margin-top: 8px;
}
</style>
