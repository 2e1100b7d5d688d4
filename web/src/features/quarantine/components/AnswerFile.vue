<script setup lang="ts">
/** What came back from a supplier: looked at first, then applied. */
import { unwrap, type Schemas } from '@/api/client'
import { count, plural, StateNote } from '@/shared'
import { useMutation } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { sendAnswer } from '../logic/answer'

const props = defineProps<{ delivery: number; busy: boolean }>()
const emit = defineEmits<{ applied: [] }>()
const file = ref<File>()
const send = useMutation({
  mutationFn: ({ apply }: { apply: boolean }) => unwrap(sendAnswer(props.delivery, file.value!, apply)),
  onSuccess: (answer) => {
    if (!answer.job) return
    file.value = undefined
    emit('applied')
  },
})
const answer = computed(() => (file.value && !send.data.value?.job ? send.data.value : undefined))
const ready = (said: Schemas['AnswerOut']) => (said.states.ready ?? 0) + (said.states.corrected ?? 0)
const lines = (numbers: number[]) =>
  numbers.slice(0, 5).map(count).join(', ') +
  (numbers.length > 5 ? ` and ${count(numbers.length - 5)} more` : '')
function choose(event: Event): void {
  file.value = (event.target as HTMLInputElement).files?.[0]
  send.reset()
  if (file.value) send.mutate({ apply: false })
}
</script>

<template>
  <div class="answer">
    <label for="answer-file">What came back from the supplier</label>
    <input id="answer-file" type="file" :disabled="busy" @change="choose" />
    <StateNote :loading="send.isPending.value" :error="send.error.value" />
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
  margin: 14px 0 4px;
}
label {
  margin-right: 12px;
  color: var(--soft);
}
</style>
