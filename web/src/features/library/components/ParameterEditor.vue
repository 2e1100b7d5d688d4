<script setup lang="ts">
/** A parameter: its type, its default, and the values of single feeds. */
import { api, unwrap, type Schemas } from '@/api/client'
import { ref } from 'vue'
import { useKeeping } from '../logic'
import EntryForm from './EntryForm.vue'

const props = defineProps<{ entry?: Schemas['ParameterOut']; mayWork: boolean }>()
const emit = defineEmits<{ done: [name: string] }>()
const name = ref(props.entry?.name ?? '')
const about = ref(props.entry?.about ?? '')
const type = ref<'text' | 'number' | 'date'>((props.entry?.type as 'text' | undefined) ?? 'text')
const initial = ref(props.entry?.default ?? '')
const values = ref(
  Object.entries(props.entry?.values ?? {})
    .map(([feed, value]) => `${feed} = ${value}`)
    .join('\n'),
)
const parsed = () =>
  Object.fromEntries(
    values.value
      .split('\n')
      .map((line) => /^\s*([\w-]+)\s*=\s*(.*?)\s*$/.exec(line))
      .filter((match) => match !== null)
      .map((match) => [match[1] ?? '', match[2] ?? '']),
  )
const keeping = useKeeping(
  () =>
    unwrap(
      api.PUT('/api/library/parameters', {
        body: {
          name: name.value,
          type: type.value,
          default: initial.value,
          values: parsed(),
          about: about.value,
        },
      }),
    ),
  (kept) => emit('done', kept.name),
)
</script>

<template>
  <EntryForm
    v-model:name="name"
    v-model:about="about"
    :title="entry ? `Parameter :${entry.name}` : 'New parameter'"
    :fixed="Boolean(entry)"
    :error="keeping.error.value"
    :saving="keeping.isPending.value"
    :may-work="mayWork"
    @keep="keeping.mutate()"
  >
    <label for="parameter-type">Type</label>
    <select id="parameter-type" v-model="type" class="field" :disabled="!mayWork">
      <option>text</option>
      <option>number</option>
      <option>date</option>
    </select>
    <label for="parameter-default">Default</label>
    <input id="parameter-default" v-model="initial" class="field" :disabled="!mayWork" />
    <label for="parameter-values">Own values of feeds</label>
    <textarea
      id="parameter-values"
      v-model="values"
      class="field"
      rows="3"
      placeholder="one per line: feed = value"
      :disabled="!mayWork"
    ></textarea>
  </EntryForm>
</template>
