<script setup lang="ts">
/** The form of a rule, made from its kind. What is seldom needed waits behind "More". */
import type { Schemas } from '@/api/client'
import Themed from '@/shared/antd/Themed.vue'
import { computed, ref, watch } from 'vue'
import { fieldsOf, isSet, isShown } from '../logic/fields'
import type { Rule } from '../logic/rulebook'
import RuleField from './RuleField.vue'

const rule = defineModel<Rule>({ required: true })
const props = defineProps<{
  kind: Schemas['KindOut']
  columns: string[]
  disabled: boolean
  delivery: number
  rules: Rule[]
}>()
const all = computed(() => fieldsOf(props.kind).filter((field) => isShown(field, rule.value)))
const usual = computed(() => all.value.filter((field) => !field.seldom || isSet(field, rule.value)))
const seldom = computed(() => all.value.filter((field) => field.seldom && !isSet(field, rule.value)))
const more = ref(false)
watch(
  () => rule.value.id,
  () => (more.value = false),
)
const fields = computed(() => {
  if (!more.value) return usual.value
  const note = usual.value.filter((field) => field.name === 'note')
  return [...usual.value.filter((field) => field.name !== 'note'), ...seldom.value, ...note]
})
function set(name: string, value: unknown): void {
  rule.value = { ...rule.value, [name]: value }
}
</script>

<template>
  <Themed
    ><div class="form">
      <template v-for="field in fields" :key="field.name">
        <label :for="`rule-${field.name}`">{{ field.title }}</label>
        <RuleField
          :field="field"
          :value="rule[field.name]"
          :rule="rule"
          :columns="columns"
          :disabled="disabled"
          :delivery="delivery"
          :rules="rules"
          @set="(value) => set(field.name, value)"
        />
      </template>
      <button
        v-if="seldom.length && !more"
        type="button"
        class="link more"
        :title="seldom.map((field) => field.title).join(', ')"
        @click="more = true"
      >
        More: {{ seldom.map((field) => field.title.toLowerCase()).join(', ') }}
      </button>
    </div></Themed
  >
</template>

<style scoped>
.form {
  display: grid;
  grid-template-columns: 128px minmax(0, 1fr);
  gap: 7px 10px;
  align-items: start;
  margin: 10px 0;
}
label {
  padding-top: 3px;
  color: var(--soft);
}
.more {
  grid-column: 2;
  justify-self: start;
  text-align: left;
}
</style>
