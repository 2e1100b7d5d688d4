<script setup lang="ts">
/** New: what this delivery has that the ones before had not, first; all else is one quiet line. */
import { useAddress } from '@/app/address'
import { useKeys } from '@/app/keys'
import { useDelivery } from '@/features/delivery'
import { count, minute, plural, StateNote } from '@/shared'
import { computed, ref } from 'vue'
import NoveltySheet from '../components/NoveltySheet.vue'
import { ANSWERS, didWhat, useNews, type Answer } from '../logic/news'

const { query, ask } = useAddress()
const { id } = useDelivery()
const { data, error, isLoading, ask: answering } = useNews(id)
const all = computed(() => [...(data.value?.news ?? []), ...(data.value?.usual ?? [])])
const chosen = computed(() => all.value.find((each) => each.id === query.value.new) ?? all.value[0])
const open = computed(() => (data.value?.news ?? []).filter((each) => !each.answer).length)
function step(by: number): void {
  const next = all.value[all.value.findIndex((each) => each === chosen.value) + by]
  if (next) ask({ new: next.id })
}
useKeys({ j: () => step(1), k: () => step(-1) })
const failed = ref<{ novelty: string; error: unknown }>()
/** Answer, and go on to the next that waits for one; back to it if the answer was refused. */
async function answer(choice: Answer | '', word: string): Promise<void> {
  const at = chosen.value
  if (!at) return
  const next = choice
    ? all.value.slice(all.value.indexOf(at) + 1).find((each) => !each.answer && each.weight !== 'low')
    : undefined
  failed.value = undefined
  const sent = answering.mutateAsync({ novelty: at.id, answer: choice, word })
  if (next) ask({ new: next.id })
  try {
    await sent
  } catch (error) {
    failed.value = { novelty: at.id, error }
    ask({ new: at.id })
  }
}
const quiet = computed(() => {
  const it = data.value
  if (!it) return ''
  const before = plural(it.past, 'delivery', 'deliveries')
  if (!it.past) return 'This is the first delivery of the feed: there is nothing to compare it with yet.'
  if (!it.judged)
    return `Compared with ${before} before. Usual limits are known from ${it.needed} deliveries on; until then only texts never seen are told.`
  return `${count(it.judged)} measures were compared with ${before} before; all others are within their usual limits.`
})
</script>

<template>
  <section class="news">
    <div class="register">
      <StateNote v-if="!data" :loading="isLoading" :error="error" />
      <template v-else>
        <div v-if="data.steps.length" class="steps">
          <p v-for="(each, place) in data.steps" :key="place">
            <span class="mono soft">{{ minute(each.at) }}</span> The policy of the feed
            <b>{{ didWhat(each.did) }}</b>{{ each.reasons.length ? ':' : '.' }}
            <span v-for="reason in each.reasons" :key="reason" class="reason">{{ reason }}</span>
          </p>
        </div>
        <p v-if="data.changes" class="line">
          <RouterLink class="door" :to="{ name: 'intake', params: { id }, query: { view: 'together' } }">{{
            plural(data.changes, 'design change')
          }}</RouterLink>
          to settle: the columns are not those agreed for the feed.
        </p>
        <div class="tools">
          <span
            ><b>{{ open ? `${count(open)} to answer` : 'Nothing to answer' }}</b></span
          >
          <span v-if="data.news.length > open">{{ count(data.news.length - open) }} answered</span>
        </div>
        <table v-if="all.length" class="lines choices">
          <thead>
            <tr>
              <th>Column</th>
              <th>What is new</th>
              <th>Weight</th>
              <th>Answer</th>
            </tr>
          </thead>
          <tbody>
            <tr
              v-for="each in all"
              :key="each.id"
              :class="{ on: each === chosen, done: each.answer || each.weight === 'low' }"
              @click="ask({ new: each.id })"
            >
              <td class="mono name" :title="each.column">
                <button type="button" :aria-pressed="each === chosen">
                  {{ each.column || 'all records' }}
                </button>
              </td>
              <td class="says" :title="each.says">{{ each.says }}</td>
              <td class="soft">{{ each.weight === 'low' ? 'usual for it' : each.weight }}</td>
              <td class="soft">{{ ANSWERS[each.answer] ?? '' }}</td>
            </tr>
          </tbody>
        </table>
        <p class="soft quiet">{{ quiet }}</p>
        <template v-if="data.findings.length">
          <h2>
            Findings that no rule treats <span class="soft">{{ count(data.findings.length) }}</span>
          </h2>
          <table class="lines">
            <tbody>
              <tr v-for="each in data.findings" :key="each.id">
                <td class="mono finding">{{ each.columns.slice(0, 2).join(', ') || 'records' }}</td>
                <td>
                  <RouterLink
                    :to="{ name: 'profile', params: { id }, query: { view: 'findings', finding: each.id } }"
                    >{{ each.says }}</RouterLink
                  >
                </td>
                <td class="soft">{{ each.severity }}</td>
              </tr>
            </tbody>
          </table>
        </template>
      </template>
    </div>
    <NoveltySheet
      v-if="chosen"
      :id="id"
      :novelty="chosen"
      :error="failed?.novelty === chosen.id ? failed.error : null"
      @answer="answer"
    />
  </section>
</template>

<style scoped>
.news {
  display: flex;
  flex: 1;
  min-width: 0;
}
.register {
  padding-right: 16px;
  padding-bottom: 20px;
}
.steps {
  padding-top: 10px;
}
.steps p {
  margin-bottom: 3px;
}
.reason {
  display: block;
  padding-left: 24px;
}
.line {
  padding-top: 10px;
}
.says {
  max-width: 0;
  width: 70%;
  overflow: hidden;
  text-overflow: ellipsis;
}
tr.done .says,
tr.done .name button {
  color: var(--soft);
}
.quiet {
  padding: 10px 0 4px;
}
h2 {
  padding: 12px 0 5px;
  font-size: 13px;
  font-weight: 650;
}
.finding {
  width: 150px;
}
</style>
