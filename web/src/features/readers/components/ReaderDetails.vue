<script setup lang="ts">
/** One reader: how it connects, what it may read, who is connected. */
import { api, unwrap, type Schemas } from '@/api/client'
import { minute, StateNote } from '@/shared'
import { useMutation } from '@tanstack/vue-query'
import { computed } from 'vue'
import { pythonLines, shellLine, type Where } from '../logic/connecting'
import CopyText from './CopyText.vue'
import FeedChoice from './FeedChoice.vue'

const props = defineProps<{
  reader: Schemas['ReaderOut']
  where: Where
  feeds: readonly Schemas['ReadableFeed'][]
  mayChange: boolean
}>()
const emit = defineEmits<{ changed: [] }>()
const set = useMutation({
  mutationFn: (feeds: string[]) =>
    unwrap(api.PUT('/api/readers/{reader_id}', { params: { path: { reader_id: props.reader.id } }, body: { feeds } })),
  onSettled: () => emit('changed'),
}) // prettier-ignore
const chosen = computed({
  get: () => set.variables.value && set.isPending.value ? set.variables.value : props.reader.feeds,
  set: (feeds) => set.mutate(feeds),
}) // prettier-ignore
const view = computed(
  () => props.feeds.find((feed) => props.reader.feeds.includes(feed.slug))?.view ?? 'released.…',
)
</script>

<template>
  <div class="details">
    <section>
      <h3>May read</h3>
      <FeedChoice v-model="chosen" :feeds="feeds" :disabled="!mayChange || set.isPending.value" />
      <StateNote :error="set.error.value" />
    </section>
    <section>
      <h3>In a shell</h3>
      <CopyText :text="shellLine(where, reader.role)" label="the line for a shell" />
      <h3>In Python</h3>
      <CopyText :text="pythonLines(where, reader.role, view)" label="the lines for Python" />
      <p class="soft">The password is asked for, or taken from PGPASSWORD or a password file.</p>
      <h3>Connected now</h3>
      <p v-if="!reader.connections.length" class="soft">Nobody.</p>
      <ul v-else>
        <li v-for="(each, at) in reader.connections" :key="at">
          {{ each.program || 'a program without a name' }} from
          <span class="mono">{{ each.address || 'this machine' }}</span> since
          <span class="mono">{{ minute(each.since) }}</span><template v-if="each.asked"
            >, asked last <span class="mono">{{ minute(each.asked) }}</span></template
          >
        </li>
      </ul>
    </section>
  </div>
</template>

<style scoped>
.details {
  display: grid;
  grid-template-columns: minmax(240px, 1fr) minmax(0, 2fr);
  gap: 8px 32px;
  padding: 6px 0 12px;
}
h3 {
  margin: 8px 0 4px;
  font-size: 12px;
  color: var(--soft);
}
p,
ul {
  margin: 2px 0;
  padding: 0;
  list-style: none;
}
</style>
