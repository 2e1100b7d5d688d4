<script setup lang="ts">
/** Every state of the rulebook: who, when, what. One is compared with the newest, and can be gone back to. */
import { api, unwrap } from '@/api/client'
import { SentenceText, StateNote } from '@/shared'
import { useQuery } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'

const props = defineProps<{ slug: string; newest: number; mayWork: boolean }>()
const emit = defineEmits<{ back: [number: number]; leave: [] }>()
const { data, error, isLoading } = useQuery({
  queryKey: computed(() => ['revisions', props.slug]),
  queryFn: () => unwrap(api.GET('/api/feeds/{slug}/revisions', { params: { path: { slug: props.slug } } })),
})
const chosen = ref(-1)
const other = ref(props.newest)
watch(
  () => props.newest,
  (now) => (other.value = now),
)
const compared = useQuery({
  queryKey: computed(() => ['compared', props.slug, chosen.value, other.value]),
  queryFn: () =>
    unwrap(
      api.GET('/api/feeds/{slug}/revisions/{one}/{other}', {
        params: { path: { slug: props.slug, one: chosen.value, other: other.value } },
      }),
    ),
  enabled: () => chosen.value >= 0 && chosen.value !== other.value,
})
const when = (at: string) => at.slice(0, 16).replace('T', ' ')
</script>

<template>
  <section aria-label="History">
    <div class="title">
      <h2>History</h2>
      <button type="button" class="link" @click="emit('leave')">Close</button>
    </div>
    <p class="soft">Choose a revision to see how it differs from revision {{ other }}.</p>
    <StateNote :loading="isLoading" :error="error" />
    <div v-if="chosen >= 0" class="compared">
      <div class="head">
        <b>From revision {{ chosen }} to {{ other }}</b>
        <button
          v-if="mayWork && chosen !== newest"
          type="button"
          class="btn main"
          @click="emit('back', chosen)"
        >
          Go back to revision {{ chosen }}
        </button>
      </div>
      <p v-if="chosen === other || compared.data.value?.length === 0" class="soft">The rules are the same.</p>
      <table v-if="chosen !== other && compared.data.value?.length" class="lines">
        <tbody>
          <tr v-for="item in compared.data.value" :key="item.id + item.what">
            <td class="what">{{ item.what }}</td>
            <td class="num">{{ item.number }}</td>
            <td>
              <del v-if="item.before && item.what !== 'moved'"><SentenceText :parts="item.before" /></del>
              <div v-if="item.after"><SentenceText :parts="item.after" /></div>
            </td>
          </tr>
        </tbody>
      </table>
    </div>
    <table v-if="data" class="lines choices">
      <thead>
        <tr>
          <th class="num">Revision</th>
          <th>What</th>
          <th>Who</th>
          <th>When</th>
          <th class="num">Rules</th>
        </tr>
      </thead>
      <tbody>
        <tr
          v-for="item in data"
          :key="item.number"
          :class="{ on: item.number === chosen }"
          @click="chosen = item.number"
        >
          <td class="num">
            <button
              type="button"
              class="link"
              :aria-pressed="item.number === chosen"
              @click.stop="chosen = item.number"
            >
              {{ item.number }}
            </button>
          </td>
          <td class="change" :title="item.change">
            {{ item.change }}<b v-if="item.published"> published</b>
          </td>
          <td class="soft">{{ item.author }}</td>
          <td class="soft mono">{{ when(item.at) }}</td>
          <td class="num">{{ item.rules }}</td>
        </tr>
      </tbody>
    </table>
  </section>
</template>

<style scoped>
.title,
.head {
  display: flex;
  gap: 14px;
  align-items: baseline;
  justify-content: space-between;
}
h2 {
  font-size: 14px;
}
.compared {
  margin: 8px 0 14px;
  border-top: 1px solid var(--ink);
  padding-top: 8px;
}
.what {
  width: 70px;
  color: var(--soft);
}
del {
  color: var(--soft);
}
.choices {
  margin-top: 8px;
}
table.choices thead th {
  background: var(--sheet);
}
.change {
  max-width: 210px;
  overflow: hidden;
  text-overflow: ellipsis;
}
</style>
