<script setup lang="ts">
/** What to do with the chosen record, or with many: its values, and the acts. */
import type { Schemas } from '@/api/client'
import { count, plural, StateNote } from '@/shared'
import { computed, ref, useTemplateRef, watch } from 'vue'
import { useRoute } from 'vue-router'
import type { About, Chosen } from '../logic/chosen'
import ActPanel from './ActPanel.vue'
import AmendRecord from './AmendRecord.vue'

const props = defineProps<{
  delivery: number
  all: Schemas['QuarantineOut']
  one: Schemas['HeldOut']
  marked: Set<number>
  fit: { chosen: Chosen; count: number } | undefined // all that fit, where they are decided on at once
  life: Schemas['LifeOut'] | undefined
  isLoading: boolean
  error: Error | null
  form: string // another one begins anew
  mayDecide: boolean
  busy: boolean
}>()
const emit = defineEmits<{
  amend: [asked: { record: number; values: Record<string, string | null>; apply: boolean }]
  decided: []
}>()
const route = useRoute()
const which = computed<About>(
  () => props.fit ?? { records: props.marked.size ? [...props.marked] : [props.one.record] },
)
const isMany = computed(() => props.fit !== undefined || props.marked.size > 1)
/** The column that is meant: of the reason that is looked at, else of the first reason of the chosen record. */
const firstColumn = computed(() => {
  const named = route.query.name ? String(route.query.name) : props.one.reasons[0]?.name
  return named?.split(', ').find((name) => props.all.columns.includes(name))
})
const sheet = useTemplateRef<HTMLElement>('sheet')
const isHere = computed(() => props.life?.record === props.one.record)
/** The values are asked for before they are here: they are gone to when they come, unless another record is chosen first. */
const isAwaited = ref(false)
function toValues(): void {
  const field = sheet.value?.querySelector<HTMLInputElement>('.amend input.wrong, .amend input')
  field?.focus()
  isAwaited.value = !field && !isMany.value && !isHere.value
}
watch(
  () => props.one.record,
  () => (isAwaited.value = false),
)
watch(isHere, () => isHere.value && isAwaited.value && toValues(), { flush: 'post' })
defineExpose({
  /** Go to the choice of acts. */
  toAct: () => sheet.value?.querySelector<HTMLInputElement>('.act input:checked')?.focus(),
  /** Go to the first value that is wrong, else to the first. */
  toValues,
})
</script>

<template>
  <aside
    ref="sheet"
    class="sheet"
    tabindex="0"
    :aria-label="isMany ? 'Decide on many' : `Record ${one.record}`"
  >
    <h2 v-if="isMany">
      {{ fit ? `All ${count(fit.count)} that fit` : plural(marked.size, 'marked record') }}
    </h2>
    <AmendRecord
      v-else-if="life && isHere"
      :key="form"
      :delivery="delivery"
      :record="life"
      :may-decide="mayDecide"
      :busy="busy"
      @amend="(values, apply) => emit('amend', { record: one.record, values, apply })"
    />
    <StateNote v-else :loading="isLoading" />
    <StateNote :error="error" />
    <ActPanel
      v-if="mayDecide"
      class="decide"
      :delivery="delivery"
      :run="all.run"
      :which="which"
      :columns="all.columns"
      :people="all.people"
      :feed-key="all.key"
      :first="firstColumn"
      :is-many="isMany"
      @decided="emit('decided')"
    />
  </aside>
</template>

<style scoped>
h2 {
  font-size: 15px;
  font-weight: 650;
}
.sheet {
  width: 380px;
  flex: none;
  border-left: 1px solid var(--hair);
  padding: 12px 18px;
  background: var(--sheet);
  overflow: auto;
}
.decide {
  margin-top: 14px;
  border-top: 1px solid var(--ink);
  padding-top: 4px;
}
</style>
