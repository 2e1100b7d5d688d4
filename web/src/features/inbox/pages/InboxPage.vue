<script setup lang="ts">
/** What waits for the person who is signed in, over all feeds; what blocks most stands first. */
import { useAddress } from '@/app/address'
import { useKeys } from '@/app/keys'
import { usePerson } from '@/features/session'
import { useFreshWithWork } from '@/features/work'
import { minute, StateNote } from '@/shared'
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'
import MailWishes from '../components/MailWishes.vue'
import ToldPrograms from '../components/ToldPrograms.vue'
import { doorOf, fitting, useInbox } from '../logic/inbox'

const { data, error, isLoading } = useInbox()
useFreshWithWork('inbox')
const { person, mayWork, mayAdminister } = usePerson()
const { query, ask } = useAddress()
const router = useRouter()
const search = computed({
  get: () => String(query.value.search ?? ''),
  set: (text) => ask({ search: text || undefined }),
})
const mine = computed({
  get: () => query.value.mine === 'yes',
  set: (only) => ask({ mine: only ? 'yes' : undefined }),
})
const lines = computed(() =>
  fitting(data.value?.waits ?? [], search.value, mine.value ? (person.value?.name ?? '') : ''),
)
const at = ref(0)
const chosen = computed(() => Math.min(at.value, lines.value.length - 1))
useKeys({
  j: () => (at.value = Math.min(chosen.value + 1, lines.value.length - 1)),
  k: () => (at.value = Math.max(chosen.value - 1, 0)),
  Enter: () => {
    const line = lines.value[chosen.value]
    if (line) void router.push(doorOf(line))
  },
})
</script>

<template>
  <main class="page">
    <header>
      <h1>Inbox</h1>
      <label class="hidden-label" for="inbox-search">Find</label>
      <input id="inbox-search" v-model="search" class="field find" placeholder="Find" />
      <label class="only"><input v-model="mine" type="checkbox" /> my feeds only</label>
    </header>
    <StateNote :loading="isLoading" :error="error" />
    <template v-if="data">
      <StateNote v-if="!data.waits.length" empty="Nothing waits for you." />
      <StateNote v-else-if="!lines.length" empty="Nothing that waits fits." />
      <table v-else class="lines" aria-label="What waits">
        <thead>
          <tr>
            <th>Feed</th>
            <th>What waits</th>
            <th>What it blocks</th>
            <th>Since</th>
            <th>Owner</th>
          </tr>
        </thead>
        <tbody>
          <tr
            v-for="(line, place) in lines"
            :key="`${line.sort} ${line.feed.slug} ${line.delivery}`"
            :class="{ on: place === chosen }"
          >
            <td>
              <RouterLink :to="{ name: 'feed', params: { slug: line.feed.slug } }">{{
                line.feed.name
              }}</RouterLink>
            </td>
            <td>
              <RouterLink :to="doorOf(line)" class="says">{{ line.says }}</RouterLink>
            </td>
            <td>{{ line.blocks.join(', ') }}</td>
            <td class="mono since">{{ line.since ? minute(line.since) : 'just now' }}</td>
            <td>{{ line.owner }}</td>
          </tr>
        </tbody>
      </table>
      <MailWishes v-if="mayWork" :inbox="data" />
      <ToldPrograms v-if="mayAdminister" />
    </template>
  </main>
</template>

<style scoped>
.page > :deep(section) {
  margin-top: 28px;
  border-top: 1px solid var(--hair);
  padding-top: 12px;
}
.page > :deep(section) h2 {
  margin-bottom: 6px;
  font-size: 13px;
  font-weight: 650;
}
header {
  align-items: baseline;
}
.says {
  font-weight: 650;
}
.since {
  white-space: nowrap;
}
.find {
  flex: 0 0 220px;
}
.only {
  white-space: nowrap;
}
td:first-child,
th:first-child {
  padding-left: 9px;
}
tr.on td:first-child {
  box-shadow: inset 3px 0 0 var(--ink);
}
</style>
