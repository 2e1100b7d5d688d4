<script setup lang="ts">
/** One finding: what was seen, the evidence, how it was judged, the proposed rule with its effect, the decision. */
import { useDelivery, useRuleChoices } from '@/features/delivery'
import { recordsLink } from '@/features/records'
import { count, DataValue, plural, SentenceText } from '@/shared'
import { computed, nextTick, ref, watch } from 'vue'
import { useRoute } from 'vue-router'
import { whySo, type Listed } from '../logic/findings'

const props = defineProps<{
  listed: Listed
  method: string
  mayWork: boolean
  busy: boolean
  keys?: boolean
}>()
const emit = defineEmits<{ accept: []; dismiss: [reason: string]; reopen: [] }>()
const route = useRoute()
const { delivery } = useDelivery()
const rules = useRuleChoices(
  computed(() => (props.listed.state === 'treated' ? (delivery.value?.feed.slug ?? '') : '')),
)
const rule = computed(() => rules.value.find((known) => known.id === props.listed.rule_id))
const asking = ref(false)
const reason = ref('')
const field = ref<HTMLInputElement>()
watch(
  () => props.listed.finding.id,
  () => ((asking.value = false), (reason.value = '')),
)
function ask(): void {
  asking.value = true
  void nextTick(() => field.value?.focus())
}
function dismiss(): void {
  asking.value = false
  emit('dismiss', reason.value)
}
defineExpose({ ask })
</script>

<template>
  <article class="finding" :class="{ grave: listed.finding.severity === 'high' }">
    <h3>{{ listed.finding.says }}</h3>
    <p class="soft">
      {{ listed.finding.severity }} · {{ listed.finding.kind }}
      <template v-if="listed.state !== 'open'">
        · {{ listed.state }}<template v-if="listed.by"> by {{ listed.by }}</template
        ><template v-else-if="listed.state === 'treated'"> by rule {{ rule?.number }}</template
        ><template v-if="listed.reason">: {{ listed.reason }}</template></template
      >
    </p>
    <table v-if="listed.finding.evidence.length" class="evidence">
      <tbody>
        <tr v-for="it in listed.finding.evidence" :key="it.value">
          <td><DataValue :value="it.value" :was="it.becomes !== null" /></td>
          <td>
            <template v-if="it.becomes !== null"
              ><span class="soft" aria-label="becomes">→</span> <DataValue :value="it.becomes"
            /></template>
          </td>
          <td class="num soft">{{ count(it.count) }}</td>
        </tr>
      </tbody>
    </table>
    <details class="how">
      <summary>How it is judged</summary>
      <p>{{ whySo(listed.finding) }}</p>
      <p>{{ method }}</p>
    </details>
    <p v-if="listed.sentence.length" class="rule">
      <span class="soft">Proposed rule</span> <SentenceText :parts="listed.sentence" />
      <span v-if="typeof listed.finding.effect === 'number'" class="soft effect">{{
        listed.finding.columns.length === 1 && listed.finding.rule?.kind !== 'remove-where'
          ? plural(listed.finding.effect, 'cell')
          : plural(listed.finding.effect, 'record')
      }}</span>
    </p>
    <p v-else class="soft rule">No rule follows from it by itself.</p>
    <form v-if="asking" class="why" @submit.prevent="dismiss">
      <label :for="`why-${listed.finding.id}`">Why is it right as it is?</label>
      <input
        :id="`why-${listed.finding.id}`"
        ref="field"
        v-model="reason"
        class="field"
        @keydown.esc="asking = false"
      />
      <button class="btn">Dismiss</button>
      <button type="button" class="btn" @click="asking = false">Cancel</button>
    </form>
    <p v-else-if="listed.state === 'treated'" class="rule">
      <RouterLink class="door" :to="{ name: 'rules', params: route.params, query: { rule: listed.rule_id } }"
        >Rule {{ rule?.number }}</RouterLink
      >
      treats it: {{ rule?.words }}
    </p>
    <div v-else-if="mayWork" class="acts">
      <template v-if="listed.state === 'open'">
        <button
          v-if="listed.finding.rule"
          type="button"
          class="btn main"
          :disabled="busy"
          @click="emit('accept')"
        >
          Accept
        </button>
        <kbd v-if="keys && listed.finding.rule">a</kbd>
        <button type="button" class="btn" :disabled="busy" @click="ask">Dismiss</button>
        <kbd v-if="keys">x</kbd>
      </template>
      <button v-else type="button" class="btn" :disabled="busy" @click="emit('reopen')">
        {{ listed.state === 'accepted' ? 'Remove the rule' : 'Reopen' }}
      </button>
    </div>
    <p v-if="listed.finding.filters.length">
      <RouterLink class="door" :to="recordsLink(route, null, listed.finding.filters)"
        >Open the {{ plural(listed.finding.opens ?? listed.finding.count, 'record') }}</RouterLink
      >
    </p>
  </article>
</template>

<style scoped>
.finding {
  padding: 10px 0 14px;
}
.finding + .finding {
  border-top: 1px solid var(--hair);
}
h3 {
  margin: 0 0 1px;
  color: var(--ink);
  font-size: 13px;
  font-weight: 550;
  overflow-wrap: anywhere;
}
.grave h3 {
  font-weight: 700;
}
.evidence {
  margin: 6px 0;
  border-collapse: collapse;
}
.evidence td {
  max-width: 190px;
  padding: 1px 14px 1px 0;
  overflow: hidden;
  text-overflow: ellipsis;
  vertical-align: top;
  white-space: pre;
}
.how summary {
  width: fit-content;
  color: var(--press);
  cursor: pointer;
}
.how p {
  max-width: 62ch;
  padding: 2px 0 4px;
  color: var(--soft);
}
.rule {
  margin: 6px 0;
  overflow-wrap: anywhere;
}
.effect {
  white-space: nowrap;
}
.effect::before {
  content: ' · ';
}
.acts,
.why {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
  margin: 8px 0;
}
.why label {
  width: 100%;
}
.why .field {
  flex: 1;
  min-width: 160px;
}
</style>
