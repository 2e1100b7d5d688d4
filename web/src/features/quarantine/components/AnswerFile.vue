<script setup lang="ts">
/** What came back from a supplier: looked at first, then applied. */
import { api, unwrap, type Schemas } from '@/api/client'
import { count, minute, plural, StateNote } from '@/shared'
import { useMutation } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { readArrived, sendAnswer, type Arrived } from '../logic/answer'

const props = defineProps<{ delivery: number; busy: boolean; arrived: Arrived[] }>()
const emit = defineEmits<{ applied: [] }>()
/** What is looked at: a file of this computer, or an answer that arrived. */
const looked = ref<File | Arrived>()
const send = useMutation({
  mutationFn: ({ apply }: { apply: boolean }) => {
    const from = looked.value!
    return unwrap(
      from instanceof File
        ? sendAnswer(props.delivery, from, apply)
        : readArrived(props.delivery, from.id, apply),
    )
  },
  onSuccess: (answer) => {
    if (!answer.job) return
    looked.value = undefined
    emit('applied')
  },
})
const setAside = useMutation({
  mutationFn: (answer: Arrived) =>
    unwrap(
      api.POST('/api/deliveries/{delivery_id}/answers/{answer_id}/set-aside', {
        params: { path: { delivery_id: props.delivery, answer_id: answer.id } },
      }),
    ),
  onSuccess: () => {
    looked.value = undefined
    emit('applied')
  },
})
const answer = computed(() => (looked.value && !send.data.value?.job ? send.data.value : undefined))
const ready = (said: Schemas['AnswerOut']) => (said.states.ready ?? 0) + (said.states.corrected ?? 0)
const lines = (numbers: number[]) =>
  numbers.slice(0, 5).map(count).join(', ') +
  (numbers.length > 5 ? ` and ${count(numbers.length - 5)} more` : '')
function look(at: File | Arrived | undefined): void {
  looked.value = at
  send.reset()
  if (at) send.mutate({ apply: false })
}
function choose(event: Event): void {
  look((event.target as HTMLInputElement).files?.[0])
}
</script>

<template>
  <div class="answer">
    <p v-for="each in arrived" :key="each.id" class="arrived" :class="{ on: looked === each }" role="status">
      <span
        >An answer from the supplier arrived {{ minute(each.arrived) }}: <em>{{ each.name }}</em></span
      >
      <button type="button" class="link" :disabled="busy" @click="look(each)">Look at it</button>
      <button
        type="button"
        class="link"
        :disabled="busy || setAside.isPending.value"
        title="Nothing of it is taken; it stays in the history"
        @click="setAside.mutate(each)"
      >
        Set aside
      </button>
    </p>
    <label for="answer-file">What came back from the supplier</label>
    <input id="answer-file" type="file" :disabled="busy" @change="choose" />
    <StateNote :loading="send.isPending.value" :error="send.error.value ?? setAside.error.value" />
    <div v-if="answer" role="status">
      <p>
        {{ plural(answer.records, 'record') }} filled in<template v-if="answer.records"
          >: <b>{{ count(ready(answer)) }}</b> would be ready,
          <b>{{ count(answer.states.quarantined ?? 0) }}</b> still quarantined</template
        >. {{ plural(answer.untouched, 'line') }} without a correction.
      </p>
      <p v-if="answer.settled">
        {{ plural(answer.settled, 'record') }} not taken, because somebody decided on them since, or they are
        settled.
      </p>
      <p v-if="answer.changed.length">
        Not taken, because cells that were not complained of were changed: line {{ lines(answer.changed) }}.
      </p>
      <p v-if="answer.repeated.length">
        Not taken, because they stand there twice: line {{ lines(answer.repeated) }}.
      </p>
      <p v-if="answer.unknown.length">
        Not taken, because they are not of this file: line {{ lines(answer.unknown) }}.
      </p>
      <button
        v-if="answer.records"
        type="button"
        class="btn main"
        :disabled="busy || send.isPending.value"
        @click="send.mutate({ apply: true })"
      >
        Amend {{ count(answer.records) }} as the supplier wrote
      </button>
    </div>
  </div>
</template>

<style scoped>
.answer {
  margin: 6px 0;
}
[role='status'] .btn {
  margin: 6px 0 4px;
}
.arrived {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 14px;
  border-left: 3px solid var(--hair);
  margin: 4px 0;
  padding: 4px 10px;
}
.arrived.on,
.arrived:first-child {
  border-left-color: var(--ink);
}
em {
  font: 550 12.5px var(--mono);
  overflow-wrap: anywhere;
}
label {
  margin-right: 12px;
  color: var(--soft);
}
</style>
