<script setup lang="ts">
/** The life of a record: as delivered, what each rule did, its reasons, decisions, releases, and where its key is else. */
import { api, unwrap } from '@/api/client'
import { useKeys } from '@/app/keys'
import { useDelivery } from '@/features/delivery'
import { count, DataValue, minute, SentenceText, StateNote } from '@/shared'
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import DecisionList from '../components/DecisionList.vue'

const route = useRoute()
const router = useRouter()
const { id, delivery } = useDelivery()
const record = computed(() => Number(route.params.record))
const life = useQuery({
  queryKey: ['record', id, record],
  queryFn: () =>
    unwrap(
      api.GET('/api/deliveries/{delivery_id}/records/{record}/life', {
        params: { path: { delivery_id: id.value, record: record.value } },
      }),
    ),
  placeholderData: keepPreviousData,
})
const known = computed(() => life.data.value)
const STATES: Record<string, string> = {
  delivered: 'as delivered, no rule has run',
  ready: 'ready, as delivered',
  corrected: 'ready, corrected',
  quarantined: 'quarantined',
  removed: 'removed',
}
const last = computed(() => delivery.value?.records ?? Number.MAX_SAFE_INTEGER)
function go(by: number): void {
  const next = Math.min(Math.max(1, record.value + by), last.value)
  if (next !== record.value)
    void router.replace({ name: 'record', params: { id: String(id.value), record: String(next) } })
}
useKeys({ j: () => go(1), k: () => go(-1) })
</script>

<template>
  <section class="life" tabindex="0" :aria-label="`Record ${record}`">
    <StateNote v-if="!known" :loading="life.isLoading.value" :error="life.error.value" />
    <template v-else>
      <div class="head">
        <h1>Record {{ count(known.record) }}</h1>
        <span :class="['state', known.state]">{{ STATES[known.state] ?? known.state }}</span>
        <span v-for="(value, name) in known.key" :key="name"
          ><em>{{ name }}</em> <DataValue :value="value"
        /></span>
        <span class="steps">
          <button type="button" class="link" :disabled="record <= 1" @click="go(-1)">Earlier</button>
          <button type="button" class="link" :disabled="record >= last" @click="go(1)">Later</button>
        </span>
      </div>
      <p class="soft origin">
        <template v-if="known.file">Delivered in {{ known.file }}, line {{ count(known.line) }}.</template>
        <template v-else>Made by a rule, not delivered.</template>
        <template v-if="known.since"> In quarantine since {{ minute(known.since) }}.</template>
        <template v-if="known.owner"> With {{ known.owner }}.</template>
        <template v-if="known.due"> Waits until {{ known.due }}.</template>
      </p>
      <pre v-if="known.line_text" class="line" tabindex="0" aria-label="The line as delivered">{{
        known.line_text
      }}</pre>
      <ul v-if="known.reasons.length" class="reasons">
        <li v-for="(reason, i) in known.reasons" :key="i">
          <em>{{ reason.name }}</em> <DataValue :value="reason.value" /> {{ reason.phrase }}
          <span class="soft">{{ reason.rule ? `rule ${reason.rule}` : 'typed by hand' }}</span>
        </li>
      </ul>
      <div class="parts">
        <div class="cells">
          <h2>Cells</h2>
          <table class="lines">
            <thead>
              <tr>
                <th>Column</th>
                <th>Delivered</th>
                <th>Now</th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="cell in known.cells" :key="cell.name">
                <td class="mono name">{{ cell.name }}</td>
                <td class="value"><DataValue :value="cell.original" /></td>
                <td class="value" :class="{ wrong: cell.wrong.length }">
                  <DataValue v-if="(cell.original || null) !== cell.current" :value="cell.current" />
                  <span v-else class="soft">the same</span>
                </td>
              </tr>
            </tbody>
          </table>
        </div>
        <div class="story">
          <h2>What rules did</h2>
          <p v-if="!known.steps.length" class="soft">No rule changed this record.</p>
          <table v-else class="lines">
            <tbody>
              <tr v-for="work in known.steps" :key="work.rule">
                <td class="num">{{ work.rule }}</td>
                <td>
                  <SentenceText :parts="work.sentence" />
                  <span v-for="cell in work.cells" :key="cell.name" class="change"
                    ><em>{{ cell.name }}</em> <DataValue :value="cell.before" was /> →
                    <DataValue :value="cell.after"
                  /></span>
                </td>
              </tr>
            </tbody>
          </table>
          <h2>Quarantine and decisions</h2>
          <p v-if="!known.runs.length && !known.decisions.length" class="soft">
            It was never quarantined, and nobody decided on it.
          </p>
          <p v-for="run in known.runs" :key="`${run.run}`">
            {{ run.opened ? 'Quarantined' : 'Out of quarantine' }} by the run of revision {{ run.revision
            }}<span class="soft">{{ run.ended ? `, ${minute(run.ended)}` : '' }}</span>
          </p>
          <DecisionList
            v-if="known.decisions.length"
            :decisions="known.decisions"
            :may-decide="false"
            :busy="false"
          />
          <h2>Releases</h2>
          <p v-if="!known.releases.length" class="soft">It is in no release.</p>
          <p v-for="release in known.releases" :key="release.id">
            Release {{ release.number }}, {{ release.state
            }}<span class="soft">{{ release.published ? `, ${minute(release.published)}` : '' }}</span>
          </p>
          <h2>Other deliveries of its key</h2>
          <p v-if="!known.others.length" class="soft">
            {{
              Object.keys(known.key).length
                ? 'No other delivery has this key.'
                : 'The feed has no key; one can be agreed in Quarantine.'
            }}
          </p>
          <p v-for="other in known.others" :key="`${other.delivery} ${other.record}`">
            <RouterLink
              :to="{ name: 'record', params: { id: String(other.delivery), record: String(other.record) } }"
              >Delivery {{ other.number }}, record {{ count(other.record) }}</RouterLink
            >
            <span class="soft"> {{ STATES[other.state] ?? other.state }}</span>
          </p>
        </div>
      </div>
    </template>
  </section>
</template>

<style scoped>
.life {
  flex: 1;
  min-width: 0;
  padding: 12px 20px 24px;
  overflow: auto;
}
.head {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 4px 18px;
}
h1 {
  font-size: 18px;
  font-weight: 650;
}
h2 {
  padding: 14px 0 4px;
  font-size: 13px;
  font-weight: 650;
}
.state {
  border-left: 10px solid var(--soft);
  padding-left: 6px;
}
.state.ready,
.state.delivered {
  border-color: var(--ready);
}
.state.corrected {
  border-color: var(--corrected);
}
.state.quarantined {
  border-color: var(--quarantined);
}
.state.removed {
  border-color: var(--removed);
}
.steps {
  display: flex;
  gap: 12px;
  margin-left: auto;
}
.line {
  margin: 6px 0;
  border: 1px solid var(--hair);
  padding: 6px 10px;
  background: var(--sheet);
  font: 12.5px var(--mono);
  overflow-x: auto;
}
.reasons {
  margin: 4px 0;
  border-left: 3px solid var(--quarantined);
  padding: 2px 0 2px 10px;
  list-style: none;
}
.parts {
  display: grid;
  grid-template-columns: minmax(320px, 1fr) minmax(360px, 1.1fr);
  gap: 0 32px;
}
@media (max-width: 900px) {
  .parts {
    grid-template-columns: 1fr;
  }
}
em,
.name {
  font: 550 12.5px var(--mono);
}
.value {
  overflow-wrap: anywhere;
}
.wrong {
  padding-left: 10px;
  box-shadow: inset 3px 0 0 var(--quarantined);
}
.change {
  display: block;
}
</style>
