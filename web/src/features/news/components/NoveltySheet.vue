<script setup lang="ts">
/** One thing that is new: the evidence, where to look, and the answers. */
import { useKeys } from '@/app/keys'
import { usePerson } from '@/features/session'
import { DataValue, minute, plural, StateNote } from '@/shared'
import { computed, ref, toRef } from 'vue'
import { ANSWERS, useMeasure, type Answer, type Novelty } from '../logic/news'
import MeasureLine from './MeasureLine.vue'

const props = defineProps<{ id: number; novelty: Novelty; error: unknown }>()
const emit = defineEmits<{ answer: [answer: Answer | '', word: string] }>()
const { mayWork } = usePerson()
const measure = useMeasure(toRef(props, 'id'), toRef(props, 'novelty'))
const words = ref<Record<string, string>>({}) // what was begun is still there after a look at another
const begun = computed(() => `${props.novelty.id} ${props.novelty.answer}`) // a question is no answer to itself
const word = computed({
  get: () => words.value[begun.value] ?? '',
  set: (text) => (words.value[begun.value] = text),
})
const place = computed(() => ({ params: { id: String(props.id) } }))
const isOfSources = computed(() => ['incomplete', 'delivered before'].includes(props.novelty.kind))
const says = computed(() => props.novelty.says.charAt(0).toUpperCase() + props.novelty.says.slice(1))
function answer(choice: Answer | ''): void {
  if (mayWork.value) emit('answer', choice, word.value)
}
useKeys({
  e: () => answer('expected'),
  i: () => answer('ignored'),
  s: () => answer('asked'),
  u: () => props.novelty.answer && answer(''),
})
</script>

<template>
  <aside class="sheet" aria-label="What is new">
    <h2 :class="{ mono: novelty.column }">{{ novelty.column || 'All records' }}</h2>
    <p>{{ says }}.</p>
    <MeasureLine v-if="measure.data.value" :measure="measure.data.value" />
    <StateNote v-else :loading="measure.isLoading.value" :error="measure.error.value" />
    <table v-if="novelty.texts?.length" class="lines texts">
      <tbody>
        <tr v-for="each in novelty.texts" :key="each.text">
          <td class="mono"><DataValue :value="each.text" /></td>
          <td class="num">
            {{ each.share === null ? '' : `${Number((100 * each.share).toPrecision(3))} % of the records` }}
          </td>
        </tr>
      </tbody>
    </table>
    <p class="soft">
      {{
        novelty.value === null || novelty.value === undefined
          ? `Compared with ${plural(novelty.past ?? 0, 'delivery', 'deliveries')} before.`
          : `Limits from ${plural(novelty.past ?? 0, 'delivery', 'deliveries')} before${novelty.method === 'plain' ? '' : `, ${novelty.method}`}.`
      }}
    </p>
    <p class="doors">
      <RouterLink
        v-if="novelty.column && !novelty.rule"
        class="door"
        :to="{ name: 'profile', ...place, query: { column: novelty.column } }"
        >Look at the column</RouterLink
      >
      <RouterLink
        v-if="novelty.rule"
        class="door"
        :to="{ name: 'rules', ...place, query: { rule: novelty.rule } }"
        >Look at the check</RouterLink
      >
      <RouterLink v-if="isOfSources" class="door" :to="{ name: 'intake', ...place }"
        >Look at the sources</RouterLink
      >
      <RouterLink
        v-else-if="novelty.column && !novelty.rule"
        class="door"
        :to="{ name: 'rules', ...place, query: { add: novelty.column } }"
        >Write a rule or check</RouterLink
      >
    </p>
    <div v-if="novelty.answer" class="answered">
      <p>
        <b>{{ ANSWERS[novelty.answer] }}</b>
        <span class="soft">{{ ` ${novelty.by}${novelty.at ? `, ${minute(novelty.at)}` : ''}` }}</span>
      </p>
      <p v-if="novelty.word">{{ novelty.word }}</p>
      <button v-if="mayWork" type="button" class="btn" @click="answer('')">
        Take the answer back<kbd aria-hidden="true">u</kbd>
      </button>
    </div>
    <form v-if="mayWork && (!novelty.answer || novelty.answer === 'asked')" @submit.prevent>
      <label for="news-word">{{
        novelty.answer ? 'What they say, if you like' : 'A word on it, or the question'
      }}</label>
      <input id="news-word" v-model="word" class="field" maxlength="1000" />
      <div class="answers">
        <button type="button" class="btn" @click="answer('expected')">
          Expected from now on<kbd aria-hidden="true">e</kbd>
        </button>
        <button type="button" class="btn" @click="answer('ignored')">
          Ignore this time<kbd aria-hidden="true">i</kbd>
        </button>
        <button
          v-if="!novelty.answer"
          type="button"
          class="btn"
          title="Puts a file with the question where the supplier finds it"
          @click="answer('asked')"
        >
          Ask the supplier<kbd aria-hidden="true">s</kbd>
        </button>
      </div>
    </form>
    <StateNote v-if="error" :error="error" />
  </aside>
</template>

<style scoped>
h2 {
  margin-bottom: 4px;
  font-size: 15px;
  font-weight: 650;
}
p {
  margin-bottom: 6px;
}
.texts {
  margin: 4px 0 10px;
}
.doors {
  display: flex;
  gap: 16px;
}
form,
.answered {
  margin-top: 12px;
  border-top: 1px solid var(--hair);
  padding-top: 10px;
}
.answers {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  margin-top: 8px;
}
kbd {
  margin-left: 7px;
}
</style>
