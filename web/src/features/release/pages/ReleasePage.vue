<script setup lang="ts">
/** Release: from delivered down to ready, the gates with their evidence, what differs from the last release. */
import { api, unwrap } from '@/api/client'
import { useDelivery } from '@/features/delivery'
import { recordsLink } from '@/features/records'
import { usePerson } from '@/features/session'
import { count, minute, plural, StateNote } from '@/shared'
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { useRoute } from 'vue-router'
import ContractBreaches from '../components/ContractBreaches.vue'
import ColumnDistributions from '../components/ColumnDistributions.vue'
import Downloads from '../components/Downloads.vue'
import ProposalTalk from '../components/ProposalTalk.vue'
import RecordChanges from '../components/RecordChanges.vue'
import ReleaseGates from '../components/ReleaseGates.vue'
import SinceRelease from '../components/SinceRelease.vue'
import WithdrawRelease from '../components/WithdrawRelease.vue'
import { signed } from '../logic/history'
import { stepsOf } from '../logic/steps'

const route = useRoute()
const { mayRelease } = usePerson()
const { id, delivery, refresh } = useDelivery()
const { data, error, isLoading, refetch } = useQuery({
  queryKey: ['release', id, computed(() => delivery.value?.release)],
  queryFn: () =>
    unwrap(api.GET('/api/deliveries/{delivery_id}/release', { params: { path: { delivery_id: id.value } } })),
})
const steps = computed(() => (data.value ? stepsOf(data.value) : []))
const most = computed(() => Math.max(1, ...steps.value.map((step) => step.to)))
const release = computed(() => data.value?.release)
const standing = computed(() => release.value?.state === 'published' || release.value?.state === 'publishing')
const isFollowUp = computed(() => release.value?.state === 'published' && data.value?.follow_up === true)
const ready = computed(() =>
  data.value?.balance ? data.value.balance.ready + data.value.balance.corrected : 0,
)
const open = computed(() => data.value?.gates.filter((gate) => !gate.met).length ?? 0)
async function again(): Promise<void> {
  await refresh()
  await refetch()
}
const failure = computed(() =>
  release.value?.state === 'failed' ? (release.value.error as { detail?: string } | null)?.detail : '',
)
</script>

<template>
  <StateNote v-if="!data" class="wait" :loading="isLoading" :error="error" />
  <StateNote
    v-else-if="!data.run"
    class="wait"
    empty="There is nothing to release yet, because the rulebook has not been run over this delivery. Press Run above."
  />
  <template v-else>
    <section class="account" tabindex="0" aria-label="Reconciliation">
      <h2>From delivered to ready</h2>
      <table class="steps">
        <tbody>
          <tr v-for="step in steps" :key="step.label">
            <td class="label" :title="step.label">{{ step.label }}</td>
            <td class="num">
              <RouterLink v-if="step.filter" class="door" :to="recordsLink(route, data.run, [step.filter])">{{
                count(step.to - step.from)
              }}</RouterLink>
              <span v-else>{{ count(step.to - step.from) }}</span>
            </td>
            <td class="track">
              <i
                :class="step.part ? `part-${step.part}` : 'all'"
                :style="{
                  left: `${(100 * step.from) / most}%`,
                  width: `max(3px, ${(100 * (step.to - step.from)) / most}%)`,
                }"
              ></i>
            </td>
          </tr>
        </tbody>
      </table>
      <p v-if="data.accepted" class="soft">
        {{ plural(data.accepted, 'of the ready records is', 'of the ready records are') }} accepted as an
        exception.
      </p>

      <template v-if="data.differences.length">
        <h2>Against release {{ data.against }}</h2>
        <table class="lines differs">
          <thead>
            <tr>
              <th>Count</th>
              <th class="num">Release {{ data.against }}</th>
              <th class="num">Now</th>
              <th class="num">Difference</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="difference in data.differences" :key="difference.what">
              <td>{{ difference.what }}</td>
              <td class="num">{{ count(difference.before) }}</td>
              <td class="num">{{ count(difference.now) }}</td>
              <td class="num">
                {{ signed(difference.now - difference.before) }}
              </td>
            </tr>
          </tbody>
        </table>
        <RecordChanges
          v-if="data.against_id && delivery && data.key.length"
          :slug="delivery.feed.slug"
          :sides="{ before: data.against_id, delivery: id }"
          :run="data.run"
        />
        <p v-else class="soft">
          The feed has no key, so it cannot be told which records were added, are gone or changed. A key is
          agreed in Quarantine.
        </p>
        <SinceRelease :delivery="id" :run="data.run" :against="data.against" />
        <template v-if="data.against_id && delivery">
          <h2>Columns then and now</h2>
          <ColumnDistributions
            :slug="delivery.feed.slug"
            :sides="{ before: data.against_id, delivery: id }"
            :run="data.run"
            :names="[`Release ${data.against}`, 'Now']"
          />
        </template>
      </template>
      <p v-else class="soft first">
        No other delivery of this feed is released, so there is nothing to compare with.
      </p>
      <SinceRelease v-if="!data.differences.length" :delivery="id" :run="data.run" :against="data.against" />
    </section>
    <aside class="sheet" tabindex="0" aria-label="Gates and release">
      <template v-if="release && standing">
        <h2>Release {{ release.number }} is {{ release.state }}</h2>
        <template v-if="release.state === 'published'">
          <p>
            {{ plural(release.records, 'record') }} by {{ release.who }},
            {{ minute(release.published ?? release.asked) }}
          </p>
          <dl>
            <dt>View</dt>
            <dd class="mono">{{ release.view }}</dd>
            <dt>Table</dt>
            <dd class="mono">released.{{ release.table }}</dd>
            <dt>SHA-256</dt>
            <dd class="mono hash">{{ release.manifest.data_sha256 }}</dd>
            <dt>Files</dt>
            <dd><Downloads :release="release.id" /></dd>
          </dl>
          <p class="soft">
            In CSV and TSV, texts that a spreadsheet would run as a formula begin with an apostrophe.
          </p>
          <p v-if="mayRelease"><WithdrawRelease :release="release" /></p>
        </template>
      </template>
      <template v-if="!standing || isFollowUp">
        <h2>{{ isFollowUp ? 'Follow-up release' : 'Not released yet' }}</h2>
        <p v-if="isFollowUp">
          The delivery was run again since. A follow-up release takes the place of release
          {{ release?.number }} for this delivery; release {{ release?.number }} stays as it is.
        </p>
        <p v-if="failure" role="alert"><b>The last attempt failed.</b> {{ failure }}</p>
        <ProposalTalk
          :delivery="id"
          :run="data.run"
          :ready="ready"
          :quarantined="data.balance?.quarantined ?? 0"
          :is-follow-up="isFollowUp"
          :blocked="open > 0 || Boolean(delivery?.job)"
          :open-gates="open"
          @changed="again"
        />
        <h2>Gates</h2>
        <ReleaseGates :gates="data.gates" />
        <ContractBreaches
          :breaches="data.breaches"
          :warnings="data.warnings"
          :delivery="id"
          :slug="delivery?.feed.slug ?? ''"
        />
      </template>
    </aside>
  </template>
</template>

<style scoped>
.wait {
  padding: 20px;
}
.account {
  flex: 1;
  min-width: 0;
  padding: 0 24px 20px 20px;
  overflow: auto;
}
h2 {
  padding: 12px 0 8px;
  font-size: 14px;
  font-weight: 650;
}
.steps {
  width: 100%;
  border-collapse: collapse;
}
.steps td {
  border-bottom: 1px solid var(--hair2);
  padding: 5px 10px 5px 0;
}
.label {
  width: 250px;
  max-width: 250px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.steps .num {
  width: 76px;
}
.track {
  position: relative;
}
i {
  position: absolute;
  top: 7px;
  height: 13px;
}
.all {
  background: var(--bar);
}
.differs {
  max-width: 480px;
}
.first {
  padding-top: 16px;
}
.sheet {
  width: 398px;
  flex: none;
  border-left: 1px solid var(--hair);
  padding: 0 18px 18px;
  background: var(--sheet);
  overflow: auto;
}
.sheet p {
  padding: 6px 0;
}
dl {
  display: grid;
  grid-template-columns: 70px 1fr;
  gap: 5px 10px;
  margin: 8px 0;
}
dt {
  color: var(--soft);
}
dd {
  margin: 0;
}
.hash {
  overflow-wrap: anywhere;
}
</style>
