<script setup lang="ts">
/** A table to look into: an uploaded file, or the newest release of a feed. */
import { api, csrfToken, unwrap, problemOf, type Schemas } from '@/api/client'
import { useQuery } from '@tanstack/vue-query'
import { ref } from 'vue'
import { useKeeping } from '../logic'
import EntryForm from './EntryForm.vue'

const props = defineProps<{ entry?: Schemas['ReferenceOut']; mayWork: boolean }>()
const emit = defineEmits<{ done: [name: string] }>()
const name = ref(props.entry?.name ?? '')
const about = ref(props.entry?.about ?? '')
const feed = ref(props.entry?.feed ?? '')
const file = ref<File>()
const feeds = useQuery({ queryKey: ['feeds'], queryFn: () => unwrap(api.GET('/api/feeds')) })
const keeping = useKeeping(
  async () => {
    const body = new FormData()
    body.set('name', name.value)
    body.set('about', about.value)
    body.set('feed', feed.value)
    if (file.value && !feed.value) body.set('file', file.value)
    const answer = await fetch('/api/library/references', {
      method: 'POST',
      body,
      headers: { 'X-CSRFToken': csrfToken() },
    })
    const table = (await answer.json()) as Schemas['ReferenceOut']
    if (!answer.ok) throw problemOf(answer.status, table)
    return table
  },
  (kept) => emit('done', kept.name),
)
</script>

<template>
  <EntryForm
    v-model:name="name"
    v-model:about="about"
    :title="entry ? 'Reference table' : 'New reference table'"
    :fixed="Boolean(entry)"
    :error="keeping.error.value"
    :saving="keeping.isPending.value"
    :may-work="mayWork"
    @keep="keeping.mutate()"
  >
    <label for="reference-feed">Newest release of</label>
    <select id="reference-feed" v-model="feed" class="field" :disabled="!mayWork">
      <option value="">no feed: a file</option>
      <option v-for="eachFeed in feeds.data.value ?? []" :key="eachFeed.slug" :value="eachFeed.slug">
        {{ eachFeed.name }}
      </option>
    </select>
    <template v-if="!feed">
      <label for="reference-file">File</label>
      <input
        id="reference-file"
        type="file"
        :disabled="!mayWork"
        @change="file = ($event.target as HTMLInputElement).files?.[0]"
      />
    </template>
    <template #below>
      <p v-if="entry" class="soft">
        {{ entry.file }} {{ entry.records.toLocaleString('en') }} records; columns
        <span class="mono">{{ entry.columns.join(', ') }}</span>
      </p>
    </template>
  </EntryForm>
</template>
