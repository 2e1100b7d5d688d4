<script setup lang="ts">
/** One more condition: how it joins the others, a column, a test, a value. */
import type { Schemas } from '@/api/client'
import { computed, ref } from 'vue'
import type { Filter, Joining } from '../logic/filters'

const props = defineProps<{ columns: string[]; tests: Schemas['TestOut'][]; isFirst: boolean }>()
const emit = defineEmits<{ add: [filter: Filter, how: Joining]; leave: [] }>()
const draft = ref({ name: '', test: 'is', value: '' })
const how = ref<Joining>('and')
const test = computed(() => props.tests.find((eachTest) => eachTest.test === draft.value.test))
const takesValue = computed(() => !draft.value.name || test.value?.takes !== 'nothing')
const example = computed(() =>
  !draft.value.name || !test.value || test.value.takes === 'text'
    ? 'value'
    : test.value.takes === 'number'
      ? 'such as 12'
      : 'such as 7.4 or 2024-03-17',
)
function add(): void {
  const { name, test: asks, value } = draft.value
  const filter: Filter = name
    ? { on: 'column', name, test: asks, ...(takesValue.value ? { value } : {}) }
    : { on: 'text', value }
  emit('add', filter, props.isFirst && how.value === 'or' ? 'and' : how.value)
}
</script>

<template>
  <form class="filter" @submit.prevent="add">
    <label class="hidden-label" for="filter-how">How it joins the others</label>
    <select id="filter-how" v-model="how" class="field how">
      <option>and</option>
      <option v-if="!isFirst">or</option>
      <option>and not</option>
    </select>
    <label class="hidden-label" for="filter-column">Column</label>
    <select id="filter-column" v-model="draft.name" class="field">
      <option value="">any column contains</option>
      <option v-for="name in columns" :key="name" :value="name">{{ name }}</option>
    </select>
    <label class="hidden-label" for="filter-test">Test</label>
    <select v-if="draft.name" id="filter-test" v-model="draft.test" class="field">
      <option v-for="eachTest in tests" :key="eachTest.test" :title="eachTest.about">
        {{ eachTest.test }}
      </option>
    </select>
    <label class="hidden-label" for="filter-value">Value</label>
    <input v-if="takesValue" id="filter-value" v-model="draft.value" class="field" :placeholder="example" />
    <button class="link">Add</button>
    <button type="button" class="link" @click="emit('leave')">Cancel</button>
  </form>
</template>

<style scoped>
.filter {
  display: flex;
  gap: 8px;
}
.filter .field {
  width: auto;
  max-width: 180px;
}
</style>
