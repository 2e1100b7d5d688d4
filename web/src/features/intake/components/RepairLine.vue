<script setup lang="ts">
/** Repair a rejected line: type what was meant, see at once what it reads as, keep it. */
import { api, unwrap, type Schemas } from '@/api/client'
import { DataValue, plural, StateNote } from '@/shared'
import { keepPreviousData, useMutation, useQuery } from '@tanstack/vue-query'
import { computed, onMounted, ref, useId } from 'vue'

const props = defineProps<{ delivery: number; line: Schemas['RejectedOut'] }>()
const emit = defineEmits<{ done: [] }>()
const id = useId()
const text = ref(props.line.text)
const lines = ref(1)
const box = ref<HTMLTextAreaElement>()
onMounted(() => box.value?.focus())
const path = computed(() => ({ delivery_id: props.delivery, source_id: props.line.source }))
const tried = useQuery({
  queryKey: ['repair', path, text],
  queryFn: ({ signal }) =>
    unwrap(
      api.POST('/api/deliveries/{delivery_id}/sources/{source_id}/repairs/try', {
        params: { path: path.value },
        body: { line: props.line.line, lines: lines.value, text: text.value },
        signal,
      }),
    ),
  placeholderData: keepPreviousData,
})
const keep = useMutation({
  mutationFn: () =>
    unwrap(
      api.POST('/api/deliveries/{delivery_id}/sources/{source_id}/repairs', {
        params: { path: path.value },
        body: { line: props.line.line, lines: lines.value, text: text.value },
      }),
    ),
  onSuccess: () => emit('done'),
})
const result = computed(() => tried.data.value)
</script>

<template>
  <form class="repair" @submit.prevent="keep.mutate()" @keydown.esc.stop="emit('done')">
    <label :for="id">What was meant, as one record</label>
    <textarea :id="id" ref="box" v-model="text" class="field" rows="2" spellcheck="false"></textarea>
    <p v-if="result?.reason" class="reason" role="status">Still no record: {{ result.reason }}.</p>
    <div v-else-if="result" class="cells" role="status">
      <span v-for="(name, i) in result.columns" :key="name"
        ><small class="soft">{{ name }}</small
        ><DataValue :value="result.cells[i] ?? ''"
      /></span>
    </div>
    <p class="acts">
      <button class="btn main" :disabled="!result || Boolean(result.reason) || keep.isPending.value">
        Save repaired line
      </button>
      <button type="button" class="btn" @click="emit('done')">Cancel</button>
      <label
        >It stands for <input v-model.number="lines" type="number" min="1" max="1000" class="field few" />
        {{ plural(lines, 'line').replace(/^\S+ /, '') }}</label
      >
    </p>
    <StateNote :error="keep.error.value ?? tried.error.value" />
  </form>
</template>

<style scoped>
.repair {
  display: grid;
  gap: 6px;
  max-width: 1000px;
  margin-left: 20px;
  border-left: 3px solid var(--press);
  padding: 4px 0 8px 14px;
}
label {
  color: var(--soft);
}
textarea {
  resize: vertical;
  background: var(--sheet);
}
.reason {
  font-weight: 650;
}
.cells {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 18px;
}
.cells small {
  display: block;
}
.acts {
  display: flex;
  gap: 12px;
  align-items: baseline;
}
.few {
  width: 54px;
}
</style>
