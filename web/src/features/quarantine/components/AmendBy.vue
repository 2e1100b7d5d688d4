<script setup lang="ts">
/** What is put into a column of many records: a value, a formula, a repair that the profile proposes, or the value of a reference table. */
import { api, unwrap, type Schemas } from '@/api/client'
import { SentenceText, StateNote } from '@/shared'
import { useQuery } from '@tanstack/vue-query'
import { computed, reactive, ref, useId, watch, watchEffect } from 'vue'
import { amendmentOf, repairsOf, type LookedUp, type Way } from '../logic/amendment'

const props = defineProps<{ delivery: number; columns: string[]; first?: string; feedKey: string[] }>()
const model = defineModel<ReturnType<typeof amendmentOf>>({ required: true })
const column = defineModel<string>('column', { required: true })
const own = useId()
const WAYS: { way: Way; label: string }[] = [
  { way: 'value', label: 'one value' },
  { way: 'formula', label: 'formula' },
  { way: 'repair', label: 'proposed repair' },
  { way: 'reference', label: 'reference table' },
]
const way = ref<Way>('value')
const value = ref('')
const formula = ref('')
const repairId = ref('')
const lookedUp = reactive<LookedUp>({ table: '', mine: '', theirs: '', take: '' })
watch(
  () => props.first,
  (name) => (column.value = name ?? column.value),
  { immediate: true },
)
const findings = useQuery({
  queryKey: ['findings', computed(() => props.delivery), undefined],
  queryFn: () =>
    unwrap(
      api.GET('/api/deliveries/{delivery_id}/findings', {
        params: { path: { delivery_id: props.delivery } },
      }),
    ),
  enabled: () => way.value === 'repair',
  staleTime: 60_000,
})
const kinds = useQuery({
  queryKey: ['rule-kinds'],
  queryFn: () => unwrap(api.GET('/api/rule-kinds')),
  enabled: () => way.value === 'repair',
  staleTime: Infinity,
})
const checks = computed(() => {
  const all = (kinds.data.value ?? []) as Schemas['KindOut'][]
  return new Set(all.filter((kind) => kind.is_check).map((kind) => kind.kind))
})
const repairs = computed(() => repairsOf(findings.data.value ?? [], column.value, checks.value))
const repair = computed(
  () => repairs.value.find((each) => each.finding.id === repairId.value) ?? repairs.value[0],
)
const library = useQuery({
  queryKey: ['library'],
  queryFn: () => unwrap(api.GET('/api/library')),
  enabled: () => way.value === 'reference',
})
const tables = computed(() => library.data.value?.references ?? [])
const table = computed(() => tables.value.find((each) => each.name === lookedUp.table))
watch(tables, ([one]) => one && !table.value && (lookedUp.table = one.name), { immediate: true })
watch(
  table,
  (chosen) => {
    const theirs = chosen?.columns ?? []
    lookedUp.mine ||= props.feedKey[0] ?? props.columns[0] ?? ''
    lookedUp.theirs = theirs.includes(lookedUp.mine) ? lookedUp.mine : (theirs[0] ?? '')
    lookedUp.take = theirs.includes(column.value) ? column.value : (theirs[1] ?? '')
  },
  { immediate: true },
)
watchEffect(() => {
  model.value = amendmentOf(way.value, column.value, {
    value: value.value, formula: formula.value, repair: repair.value, lookedUp: { ...lookedUp },
  }) // prettier-ignore
})
defineExpose({
  clear: () => {
    value.value = ''
    formula.value = ''
  },
})
</script>

<template>
  <label :for="`${own}c`">Column</label>
  <select :id="`${own}c`" v-model="column" class="field mono">
    <option v-for="name in columns" :key="name" :value="name">{{ name }}</option>
  </select>
  <div class="how" role="radiogroup" aria-label="How">
    <label v-for="each in WAYS" :key="each.way"
      ><input v-model="way" type="radio" :name="`${own}h`" :value="each.way" /> {{ each.label }}</label
    >
  </div>
  <template v-if="way === 'value'">
    <label :for="`${own}v`">Value</label>
    <input :id="`${own}v`" v-model="value" class="field mono" placeholder="missing" maxlength="2000" />
  </template>
  <template v-else-if="way === 'formula'">
    <label :for="`${own}f`">Formula over the columns of each record</label>
    <input
      :id="`${own}f`"
      v-model="formula"
      class="field mono"
      spellcheck="false"
      placeholder="such as replace(ph, ',', '.')"
      maxlength="2000"
    />
  </template>
  <template v-else-if="way === 'repair'">
    <StateNote
      :loading="findings.isLoading.value || kinds.isLoading.value"
      :error="findings.error.value ?? kinds.error.value"
    />
    <p v-if="findings.data.value && !repairs.length" class="soft">
      The profile of this delivery proposes no repair for {{ column }}.
    </p>
    <div class="repairs" role="radiogroup" aria-label="Proposed repairs">
      <label v-for="each in repairs" :key="each.finding.id"
        ><input
          type="radio"
          :name="`${own}r`"
          :value="each.finding.id"
          :checked="repair === each"
          @change="repairId = each.finding.id" />
        <span><SentenceText :parts="each.sentence" /></span
      ></label>
    </div>
  </template>
  <template v-else>
    <StateNote :loading="library.isLoading.value" :error="library.error.value" />
    <p v-if="library.data.value && !tables.length" class="soft">
      There is no reference table yet. They are kept in Library.
    </p>
    <div v-else-if="table" class="pairs">
      <label :for="`${own}t`">Reference table</label>
      <select :id="`${own}t`" v-model="lookedUp.table" class="field">
        <option v-for="each in tables" :key="each.name" :value="each.name">{{ each.name }}</option>
      </select>
      <label :for="`${own}m`">Where this column</label>
      <select :id="`${own}m`" v-model="lookedUp.mine" class="field mono">
        <option v-for="name in columns" :key="name" :value="name">{{ name }}</option>
      </select>
      <label :for="`${own}k`">is the same as</label>
      <select :id="`${own}k`" v-model="lookedUp.theirs" class="field mono">
        <option v-for="name in table.columns" :key="name" :value="name">{{ name }}</option>
      </select>
      <label :for="`${own}w`">take the value of</label>
      <select :id="`${own}w`" v-model="lookedUp.take" class="field mono">
        <option v-for="name in table.columns" :key="name" :value="name">{{ name }}</option>
      </select>
    </div>
  </template>
</template>

<style scoped>
label {
  display: block;
  margin-top: 8px;
  color: var(--soft);
}
.how {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 12px;
  margin-top: 6px;
}
.how label {
  margin-top: 0;
  cursor: pointer;
}
.repairs label {
  display: flex;
  gap: 8px;
  align-items: baseline;
  color: var(--ink);
}
.repairs span {
  min-width: 0;
  overflow-wrap: anywhere;
}
.pairs {
  display: grid;
  grid-template-columns: 110px 1fr;
  align-items: baseline;
  column-gap: 10px;
}
.field {
  width: 100%;
}
</style>
