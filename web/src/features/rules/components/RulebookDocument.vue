<script setup lang="ts">
/** The rulebook as a numbered document: shared rules, corrections, checks; with what each does in the margin. */
import type { Schemas } from '@/api/client'
import { SentenceText } from '@/shared'
import { computed } from 'vue'
import RuleLine from './RuleLine.vue'

const props = defineProps<{
  book: Schemas['RulebookOut']
  chosen: string
  mayWork: boolean
  effectOf: (id: string) => Schemas['EffectOut'] | undefined
  remarkOn: (id: string) => Schemas['Advice'] | undefined
}>()
const emit = defineEmits<{
  choose: [id: string]
  place: [id: string, number: number]
  switchShared: [id: number, on: boolean]
  drag: [at: number]
  drop: [at: number]
}>()
const groups = computed(() => {
  const all = props.book.rules.map((rule, i) => ({ rule, i }))
  return [
    { title: 'Corrections', rules: all.filter(({ rule }) => !rule.is_check) },
    { title: 'Checks', rules: all.filter(({ rule }) => rule.is_check) },
  ]
})
</script>

<template>
  <section v-for="group in book.shared" :key="group.id" class="shared">
    <h2>
      Shared: {{ group.name }}
      <button v-if="mayWork" type="button" class="link" @click="emit('switchShared', group.id, !group.on)">
        {{ group.on ? 'Switch off here' : 'Switch on here' }}
      </button>
    </h2>
    <p v-for="(sentence, i) in group.sentences" :key="i" :class="{ off: !group.on }">
      <SentenceText :parts="sentence" />
    </p>
  </section>
  <template v-for="group in groups" :key="group.title">
    <h2 v-if="group.rules.length">{{ group.title }}</h2>
    <div
      v-for="{ rule, i } in group.rules"
      :key="rule.rule.id"
      :draggable="mayWork"
      @dragstart="emit('drag', i)"
      @dragover.prevent
      @drop.prevent="emit('drop', i)"
    >
      <RuleLine
        :rule="rule"
        :effect="effectOf(rule.rule.id)"
        :remark="remarkOn(rule.rule.id)"
        :on="rule.rule.id === chosen"
        :may-work="mayWork"
        @choose="emit('choose', rule.rule.id)"
        @place="(number) => emit('place', rule.rule.id, number)"
      />
    </div>
  </template>
</template>

<style scoped>
h2 {
  border-bottom: 1px solid var(--hair);
  padding: 10px 0 4px 38px;
  font-size: 13px;
  font-weight: 650;
}
.shared p {
  border-bottom: 1px solid var(--hair2);
  padding: 6px 16px 6px 38px;
}
.shared h2 {
  display: flex;
  gap: 14px;
}
.shared h2 .link {
  font-weight: 400;
}
.shared .off {
  color: var(--soft);
  text-decoration: line-through;
}
</style>
