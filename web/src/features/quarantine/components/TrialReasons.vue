<script setup lang="ts">
/** Before the first run: what the newest trial would quarantine, each reason a way to its records. */
import type { Schemas } from '@/api/client'
import { recordsLink } from '@/features/records'
import { count, plural, SentenceText } from '@/shared'
import { useRoute } from 'vue-router'

const props = defineProps<{ trial: Schemas['WouldQuarantineOut'] }>()
const route = useRoute()
const QUARANTINED = { on: 'state', value: 'quarantined' } as const
const all = () => recordsLink(route, props.trial.run, [QUARANTINED])
const behind = (reason: Schemas['ReasonCountOut']) =>
  recordsLink(route, props.trial.run, [
    QUARANTINED,
    { on: 'reason', value: String(reason.rule), name: reason.name, phrase: reason.phrase },
  ])
</script>

<template>
  <section aria-label="What the trial would quarantine">
    <p>
      Nothing is quarantined yet: the rulebook was only tried over this delivery. The trial of revision
      {{ count(trial.revision) }} would quarantine
      <RouterLink v-if="trial.records" :to="all()">{{ plural(trial.records, 'record') }}</RouterLink><template
        v-else
        >no record</template
      >. Press Run to quarantine them and to decide on them.
    </p>
    <table v-if="trial.reasons.length" class="lines">
      <thead>
        <tr>
          <th>Why</th>
          <th>Rule</th>
          <th class="num">Records</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="reason in trial.reasons" :key="`${reason.rule} ${reason.name} ${reason.phrase}`">
          <td>
            <em>{{ reason.name }}</em> {{ reason.phrase }}
          </td>
          <td class="soft">{{ count(reason.rule) }}. <SentenceText :parts="reason.sentence" /></td>
          <td class="num">
            <RouterLink :to="behind(reason)">{{ count(reason.records) }}</RouterLink>
          </td>
        </tr>
      </tbody>
    </table>
  </section>
</template>

<style scoped>
section {
  flex: 1;
  overflow: auto;
}
table {
  max-width: 820px;
  margin-top: 12px;
}
em {
  font: 550 12.5px var(--mono);
}
</style>
