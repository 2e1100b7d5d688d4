<script setup lang="ts">
/** The form of a rule with what can be done to it, and its effect while it is edited. */
import type { Schemas } from '@/api/client'
import { SentenceText, StateNote } from '@/shared'
import { nextTick, onMounted, ref } from 'vue'
import type { Rule } from '../logic/rulebook'
import EffectNow from './EffectNow.vue'
import RuleForm from './RuleForm.vue'

const draft = defineModel<Rule>({ required: true })
const props = defineProps<{
  kind: Schemas['KindOut']
  /** the rule as it is kept; none for a new one */
  chosen?: Schemas['RuleOut']
  isNew: boolean
  /** a new rule: the field behind the columns has the focus, as these are said already */
  columnSaid: boolean
  dirty: boolean
  saving: boolean
  mayWork: boolean
  columns: string[]
  delivery: Schemas['WorkspaceOut']
  rules: Rule[]
  problem: unknown
}>()
const emit = defineEmits<{
  save: []
  cancel: []
  switch: []
  move: [by: number]
  copy: []
  remove: []
}>()
const form = ref<HTMLElement>()

/** The first field has the focus, or the one behind the columns when these are said already. */
function firstField(): void {
  const fields = form.value?.querySelectorAll<HTMLElement>(
    '.form :is(input, select, textarea, button[role=switch], [contenteditable=true])',
  )
  ;(fields?.[props.columnSaid ? 1 : 0] ?? fields?.[0])?.focus()
}
onMounted(() => {
  if (props.isNew) setTimeout(firstField, 60) // the lists of the component library are drawn a moment later
})
/** Ctrl+Enter saves from any field: what is typed there counts first. */
async function saveAtOnce(): Promise<void> {
  ;(document.activeElement as HTMLElement | null)?.blur()
  await nextTick()
  emit('save')
}
</script>

<template>
  <form ref="form" @submit.prevent="emit('save')" @keydown.ctrl.enter.capture.prevent.stop="saveAtOnce">
    <h2 v-if="isNew">New rule: {{ kind.title }}</h2>
    <h2 v-else-if="chosen">{{ chosen.number }}. <SentenceText :parts="chosen.sentence" /></h2>
    <p class="soft">{{ kind.about }}</p>
    <RuleForm
      v-model="draft"
      :kind="kind"
      :columns="columns"
      :disabled="!mayWork"
      :delivery="delivery.id"
      :rules="rules"
    />
    <StateNote :error="problem" />
    <div v-if="mayWork" class="acts">
      <button class="btn main" :disabled="!dirty || saving">Save rule</button>
      <template v-if="!isNew">
        <button type="button" class="btn" :disabled="saving" @click="emit('switch')">
          {{ chosen?.rule.enabled ? 'Switch off' : 'Switch on' }}
        </button>
        <button type="button" class="btn" :disabled="saving" @click="emit('move', -1)">Move up</button>
        <button type="button" class="btn" :disabled="saving" @click="emit('move', 1)">Move down</button>
        <button type="button" class="btn" :disabled="saving" @click="emit('copy')">Copy</button>
        <button type="button" class="btn" :disabled="saving" @click="emit('remove')">Remove</button>
      </template>
      <button v-else type="button" class="btn" @click="emit('cancel')">Cancel</button>
    </div>
  </form>
  <EffectNow
    v-if="delivery.state === 'read'"
    :delivery="delivery.id"
    :rules="rules"
    :rule="draft"
    :kind="kind"
    :is-new="isNew"
  />
</template>

<style scoped>
h2 {
  margin-bottom: 2px;
  font-size: 14px;
}
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
}
</style>
