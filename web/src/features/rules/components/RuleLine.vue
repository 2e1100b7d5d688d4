<script setup lang="ts">
/** One rule of the document: its number, its sentence, and what it does in the margin. */
import type { Schemas } from '@/api/client'
import { count, SentenceText } from '@/shared'
import { computed } from 'vue'

const props = defineProps<{
  rule: Schemas['RuleOut']
  number: number
  effect?: Schemas['EffectOut']
  on: boolean
}>()
defineEmits<{ choose: [] }>()
const margin = computed<[string, string]>(() => {
  const e = props.effect
  if (!props.rule.rule.enabled) return ['off', '']
  if (!e) return ['', '']
  if (props.rule.is_check) {
    const words = { quarantine: 'quarantined', note: 'noted', stop: 'stop it' }
    const consequence = (props.rule.rule as { consequence?: keyof typeof words }).consequence ?? 'quarantine'
    return [count(e.broken), words[consequence]]
  }
  if (e.columns) return [count(e.columns), e.columns === 1 ? 'column' : 'columns']
  if (e.kind.startsWith('remove')) return [count(e.removed), e.removed === 1 ? 'record' : 'records']
  return [count(e.cells), e.cells === 1 ? 'cell' : 'cells']
})
</script>

<template>
  <button
    type="button"
    class="rule"
    :class="{ on, off: !rule.rule.enabled }"
    :aria-pressed="on"
    @click="$emit('choose')"
  >
    <span class="no">{{ number }}</span>
    <span class="text"><SentenceText :parts="rule.sentence" /></span>
    <span class="effect" :class="{ zero: margin[0] === '0' }"
      >{{ margin[0] }} <small>{{ margin[1] }}</small></span
    >
  </button>
</template>

<style scoped>
.rule {
  display: grid;
  grid-template-columns: 30px minmax(0, 1fr) 116px;
  gap: 8px;
  align-items: baseline;
  width: 100%;
  border: 0;
  border-bottom: 1px solid var(--hair2);
  padding: 7px 0;
  background: none;
  color: var(--ink);
  font: inherit;
  text-align: left;
  cursor: pointer;
}
.rule:hover {
  background: var(--hair2);
}
.rule.on {
  background: var(--wash);
  box-shadow: inset 3px 0 0 var(--ink);
}
.no {
  color: var(--soft);
  font: 12px var(--mono);
  text-align: right;
}
.effect {
  padding-right: 16px;
  font: 12px var(--mono);
  text-align: right;
}
small {
  color: var(--soft);
  font: 12px var(--sans);
}
.off {
  color: var(--soft);
}
.off .text {
  text-decoration: line-through;
}
.zero {
  color: var(--soft);
}
</style>
