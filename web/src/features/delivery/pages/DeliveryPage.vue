<script setup lang="ts">
/** The workspace of a delivery: title, balance bar, the six places, and the records over any of them. */
import { useKeys } from '@/app/keys'
import { recordsLink, RecordsPanel } from '@/features/records'
import { usePerson } from '@/features/session'
import { BalanceBar, BusyLine, count, day, labelOf, PARTS, plural, StateNote } from '@/shared'
import { computed } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { useDelivery, useFreshAfterWork, useLiveWork } from '../logic/delivery'

const route = useRoute()
const router = useRouter()
const { mayWork } = usePerson()
const { id, delivery, error, isLoading, ask } = useDelivery()
useFreshAfterWork(delivery)
useLiveWork(id, delivery)

const places = computed(() => {
  const it = delivery.value
  return [
    { name: 'new', label: 'New', note: it?.news ? count(it.news) : '' },
    { name: 'intake', label: 'Intake', note: it && it.state !== 'read' ? it.state : '' },
    {
      name: 'profile',
      label: 'Profile',
      note: it?.findings
        ? `${plural(it.findings, 'finding')}, high or middle`
        : it?.columns.length
          ? plural(it.columns.length, 'column')
          : '',
    },
    { name: 'rules', label: 'Rules', note: it ? count(it.rules) : '' },
    { name: 'quarantine', label: 'Quarantine', note: it?.run ? count(it.quarantined) : '' },
    { name: 'release', label: 'Release', note: releaseNote() },
  ]
})
function releaseNote(): string {
  const it = delivery.value
  if (!it) return ''
  if (it.release) return it.release
  if (it.gates_open === null) return ''
  return it.gates_open ? `${plural(it.gates_open, 'gate')} not met` : 'gates met'
}
const summary = computed(() => {
  const it = delivery.value
  if (!it || it.state !== 'read') return ''
  const run = it.balance_of === 'run' ? it.run : it.balance_of === 'trial' ? it.trial : null
  if (!run) return 'not run yet'
  const took = run.seconds === null ? '' : `, ${run.seconds.toFixed(1)} s`
  return `${it.balance_of} of revision ${run.revision}, all records${took}`
})
function open(place: string): void {
  void router.push({ name: place, params: { id: id.value } })
}
/** Why the newest work on the delivery failed; reading says it in Intake. */
const failed = computed(() => {
  const job = delivery.value?.last_job
  if (job?.state !== 'failed' || delivery.value?.job || job.kind === 'read') return null
  const error = job.error as { detail?: string; advice?: string } | null
  return { kind: job.kind, said: `${error?.detail ?? ''} ${error?.advice ?? ''}` }
})
useKeys({
  ...Object.fromEntries(
    ['new', 'intake', 'profile', 'rules', 'quarantine', 'release'].map((p, i) => [String(i), () => open(p)]),
  ),
  r: () => void router.push(recordsLink(route, delivery.value?.speaking ?? null, [])),
})
const partDoor = (part: (typeof PARTS)[number]) =>
  part.state
    ? recordsLink(
        route,
        delivery.value?.speaking ?? null,
        delivery.value?.speaking ? [{ on: 'state', value: part.state }] : [],
      )
    : { name: 'intake', params: { id: id.value }, query: { rejected: '1' } }
</script>

<template>
  <main class="workspace">
    <StateNote v-if="!delivery" class="first" :loading="isLoading" :error="error" />
    <template v-else>
      <header class="head">
        <div class="title">
          <h1>{{ delivery.feed.name }}</h1>
          <span class="soft"
            >delivery {{ delivery.number }}, {{ day(delivery.received) }},
            {{ plural(delivery.files, 'source file') }}</span
          >
          <div class="right">
            <BusyLine v-if="delivery.job" :job="delivery.job" />
            <span v-else>{{ summary }}</span>
            <button
              v-if="mayWork && delivery.state === 'read' && delivery.release !== 'published'"
              type="button"
              class="btn"
              :disabled="ask.isPending.value || Boolean(delivery.job && delivery.job.kind !== 'run')"
              @click="ask.mutate('runs')"
            >
              Run
            </button>
          </div>
        </div>
        <BalanceBar :balance="delivery.balance" class="balance" />
        <div class="sum">
          <span
            ><b>{{ count(delivery.balance.delivered) }}</b> delivered<template v-if="delivery.balance.added">
              + <b>{{ count(delivery.balance.added) }}</b> added</template
            >
            =</span
          >
          <template v-for="part in PARTS" :key="part.name">
            <span v-if="delivery.balance[part.name] || part.name === 'ready'">
              <i :class="`key part-${part.name}`" aria-hidden="true"></i
              ><b>{{ count(delivery.balance[part.name]) }}</b
              >{{ ' ' }}
              <RouterLink class="door" :to="partDoor(part)">{{
                labelOf(part, delivery.balance[part.name])
              }}</RouterLink>
            </span>
          </template>
        </div>
        <p v-if="delivery.masked?.length" class="masked">
          Values of <b class="mono">{{ delivery.masked.join(', ') }}</b> are shown as ••• to you: they may
          only be seen masked. Files, comparisons and the source lines are for analysts.
        </p>
        <nav class="places" aria-label="Places of the delivery">
          <RouterLink v-for="place in places" :key="place.name" :to="{ name: place.name, params: { id } }">
            {{ place.label }}<i v-if="place.note">{{ place.note }}</i>
          </RouterLink>
        </nav>
        <div v-if="failed" class="failed" role="alert">
          <b>The last {{ failed.kind === 'run' ? 'run or trial' : failed.kind }} did not succeed.</b>
          {{ failed.said }}
        </div>
        <StateNote v-if="ask.error.value" :error="ask.error.value" />
      </header>
      <div class="body">
        <RouterView />
        <RecordsPanel v-if="route.query.records" :delivery="delivery" />
      </div>
    </template>
  </main>
</template>

<style scoped>
.workspace {
  display: flex;
  flex-direction: column;
  height: 100%;
  min-height: 480px;
}
.first {
  padding: 20px;
}
.head {
  padding: 12px 20px 0;
}
.title {
  display: flex;
  gap: 10px;
  align-items: baseline;
  min-height: 27px;
}
h1 {
  font-size: 17px;
  font-weight: 650;
}
.right {
  display: flex;
  gap: 14px;
  align-items: center;
  margin-left: auto;
  color: var(--soft);
}
.balance {
  margin-top: 10px;
}
.sum {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 18px;
  margin: 5px 0 9px;
  color: var(--soft);
}
.sum b {
  color: var(--ink);
  font: 650 12.5px var(--mono);
}
.key {
  display: inline-block;
  width: 9px;
  height: 9px;
  margin-right: 5px;
}
.places {
  display: flex;
  gap: 0 26px;
  border-bottom: 1px solid var(--ink);
  padding-top: 2px;
}
.places a {
  display: flex;
  gap: 7px;
  align-items: baseline;
  padding: 4px 0 6px;
  color: var(--soft);
  font-size: 14px;
}
.places a:hover {
  color: var(--ink);
  text-decoration: none;
}
.places a.router-link-active {
  box-shadow: inset 0 -3px 0 var(--ink);
  color: var(--ink);
  font-weight: 650;
}
.places i {
  color: var(--soft);
  font: 12px var(--mono);
}
.masked {
  margin: 4px 0 0;
  color: var(--soft);
}
.failed {
  margin: 8px 0;
  border-left: 3px solid var(--ink);
  padding-left: 10px;
}
.body {
  position: relative;
  display: flex;
  flex: 1;
  min-height: 0;
}
</style>
