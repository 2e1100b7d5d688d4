<script setup lang="ts">
/** One rule of the document: its number, its sentence, a remark, and what it does in the margin. */
import type { Schemas } from '@/api/client'
import { count, SentenceText } from '@/shared'
import { computed } from 'vue'

const props = defineProps<{
  rule: Schemas['RuleOut']
  effect?: Schemas['EffectOut']
  remark?: Schemas['Advice']
  on: boolean
  mayWork: boolean
}>()
defineEmits<{ choose: []; place: [number: number] }>()
const margin = computed<[string, string]>(() => {
  const e = props.effect
  if (!props.rule.rule.enabled) return ['off', '']
  if (!e) return ['', '']
  if (props.rule.is_check) {
    if (e.seen) return [e.broken ? 'breaks' : 'holds', '']
    const words = { quarantine: 'quarantined', note: 'noted', stop: 'stop it' }
    const consequence = (props.rule.rule as { consequence?: keyof typeof words }).consequence ?? 'quarantine'
    return [count(e.broken), words[consequence]]
  }
  if (e.removed) return [count(e.removed), e.removed === 1 ? 'record' : 'records']
  if (e.added) return [count(e.added), 'added']
  if (e.columns && !e.cells) return [count(e.columns), e.columns === 1 ? 'column' : 'columns']
  if (e.kind.startsWith('remove-') && e.kind !== 'remove-characters') return ['0', 'records']
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
    <span class="no">{{ rule.number }}</span>
    <span class="text"><SentenceText :parts="rule.sentence" /></span>
    <span class="effect" :class="{ zero: margin[0] === '0' }"
      >{{ margin[0] }} <small>{{ margin[1] }}</small></span
    >
  </button>
  <p v-if="remark" class="remark">
    {{ remark.says }}
    <button
      v-if="remark.better_place && mayWork"
      type="button"
      class="link"
      @click="$emit('place', remark.better_place)"
    >
      Move to {{ remark.better_place }}
    </button>
  </p>
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
.remark {
  border-bottom: 1px solid var(--hair2);
  padding: 3px 16px 5px 38px;
  font-style: italic;
}
</style>
