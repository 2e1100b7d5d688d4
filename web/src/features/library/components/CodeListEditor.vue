<script setup lang="ts">
/** A code list as a table; from CSV and as CSV; every change is a version. */
import { api, unwrap, type Schemas } from '@/api/client'
import { ref } from 'vue'
import { useKeeping } from '../logic'
import EntryForm from './EntryForm.vue'

const props = defineProps<{ entry?: Schemas['CodeListOut']; mayWork: boolean }>()
const emit = defineEmits<{ done: [name: string] }>()
const name = ref(props.entry?.name ?? '')
const about = ref(props.entry?.about ?? '')
const rows = ref<[string, string][]>(
  (props.entry?.codes ?? []).map(([code, meaning]) => [code ?? '', meaning ?? '']),
)
if (!rows.value.length) rows.value.push(['', ''])
const csv = ref<string | null>(null)
const file = ref('')
async function fromFile(event: Event): Promise<void> {
  const chosen = (event.target as HTMLInputElement).files?.[0]
  if (!chosen) return
  csv.value = await chosen.text()
  file.value = chosen.name
}
const keeping = useKeeping(
  () =>
    unwrap(
      api.PUT('/api/library/code-lists', {
        body: {
          name: name.value,
          about: about.value,
          based_on: props.entry?.version ?? 0,
          change: csv.value === null ? 'edited' : `from ${file.value}`,
          ...(csv.value === null
            ? { codes: rows.value.filter(([code]) => code !== '') }
            : { csv: csv.value }),
        },
      }),
    ),
  (kept) => {
    rows.value = kept.codes.map(([code, meaning]) => [code ?? '', meaning ?? ''])
    csv.value = null
    emit('done', kept.name)
  },
)
</script>

<template>
  <EntryForm
    v-model:name="name"
    v-model:about="about"
    :title="entry ? `Code list, version ${entry.version}` : 'New code list'"
    :fixed="Boolean(entry)"
    :error="keeping.error.value"
    :saving="keeping.isPending.value"
    :may-work="mayWork"
    @keep="keeping.mutate()"
  >
    <label for="codes-file">From CSV</label>
    <input id="codes-file" type="file" accept=".csv,.tsv,.txt" :disabled="!mayWork" @change="fromFile" />
    <template #below>
      <p v-if="csv !== null">
        {{ file }} replaces the codes when it is saved.
        <button type="button" class="link" @click="csv = null">Cancel</button>
      </p>
      <table v-else class="lines" aria-label="Codes">
        <thead>
          <tr>
            <th>Code</th>
            <th>Meaning</th>
            <th></th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="(row, i) in rows.slice(0, 500)" :key="i">
            <td>
              <input v-model="row[0]" class="field" :aria-label="`Code ${i + 1}`" :disabled="!mayWork" />
            </td>
            <td>
              <input v-model="row[1]" class="field" :aria-label="`Meaning ${i + 1}`" :disabled="!mayWork" />
            </td>
            <td>
              <button
                type="button"
                class="link"
                :aria-label="`Remove row ${i + 1}`"
                @click="rows.splice(i, 1)"
              >
                ×
              </button>
            </td>
          </tr>
        </tbody>
      </table>
      <p v-if="rows.length > 500" class="soft">
        The first 500 of {{ rows.length }} codes. Longer lists are edited as CSV.
      </p>
      <p class="links">
        <button v-if="mayWork && csv === null" type="button" class="link" @click="rows.push(['', ''])">
          Add a row
        </button>
        <a v-if="entry" :href="`/api/library/code-lists/${encodeURIComponent(entry.name)}/csv`" download
          >As CSV</a
        >
      </p>
      <p v-for="line in entry?.history.slice(0, 8) ?? []" :key="line" class="soft">{{ line }}</p>
    </template>
  </EntryForm>
</template>

<style scoped>
.links {
  display: flex;
  gap: 14px;
  padding: 6px 0;
}
</style>
