<script setup lang="ts">
/** The findings as a list, and the chosen one with what to do about it. */
import { StateNote } from '@/shared'
import { useTemplateRef } from 'vue'
import type { Listed } from '../logic/findings'
import type { Verdict } from '../logic/settling'
import FindingCard from './FindingCard.vue'
import FindingsList from './FindingsList.vue'

defineProps<{
  shown: Listed[]
  all: Listed[]
  unjudged: string[] // kinds that could not be looked for
  chosen: Listed | undefined
  last: Listed | undefined // decided
  methodOf: (kind: string) => string
  mayWork: boolean
  busy: boolean
  error: Error | null
}>()
defineEmits<{ choose: [id: string]; settle: [what: Verdict, finding: Listed, reason?: string] }>()
const find = defineModel<string>('find', { required: true })
const state = defineModel<string>('state', { required: true })
const severity = defineModel<string>('severity', { required: true })
const card = useTemplateRef('card')
/** Ask for the reason for which the chosen finding is dismissed. */
defineExpose({ ask: () => card.value?.ask() })
</script>

<template>
  <section class="register" tabindex="0" aria-label="Findings">
    <p v-if="unjudged.length" class="unjudged" role="status">
      Could not be looked for in this delivery, so that the list may lack some: {{ unjudged.join(', ') }}.
    </p>
    <FindingsList
      v-model:find="find"
      v-model:state="state"
      v-model:severity="severity"
      :shown="shown"
      :all="all"
      :chosen="chosen?.finding.id"
      @choose="(id) => $emit('choose', id)"
    />
  </section>
  <aside class="sheet" tabindex="0" aria-label="Finding">
    <StateNote :error="error" />
    <FindingCard
      v-if="chosen"
      ref="card"
      :listed="chosen"
      :method="methodOf(chosen.finding.kind)"
      :may-work="mayWork"
      :busy="busy"
      keys
      @accept="$emit('settle', 'accept', chosen)"
      @dismiss="(reason) => $emit('settle', 'dismiss', chosen!, reason)"
      @reopen="$emit('settle', 'reopen', chosen)"
    />
    <p v-if="last" class="soft last" role="status">
      {{ last.finding.says.slice(0, 60) }}… is settled.
      <button type="button" class="link" @click="$emit('settle', 'reopen', last)">Undo</button>
    </p>
  </aside>
</template>

<style scoped>
.unjudged {
  padding: 8px 12px 8px 0;
  border-bottom: 1px solid var(--hair);
}
.last {
  border-top: 1px solid var(--hair);
  padding-top: 8px;
}
</style>
