<script setup lang="ts">
/** What the feed's columns are and how their values are written; saved with the feed, in and out as schema files. */
import { api, unwrap, type Schemas } from '@/api/client'
import { useUnsaved } from '@/app/unsaved'
import { useDelivery } from '@/features/delivery'
import { usePerson } from '@/features/session'
import { StateNote, TypedInput } from '@/shared'
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref } from 'vue'

type Column = Schemas['AgreedColumn']
const TYPES = ['whole number', 'decimal', 'exact decimal', 'date', 'date-time', 'true/false', 'text'] as const
const { id, delivery, refresh } = useDelivery()
const { mayWork } = usePerson()
const queries = useQueryClient()
const slug = computed(() => delivery.value?.feed.slug ?? '')
const path = computed(() => ({ slug: slug.value }))
const { data, error, isLoading } = useQuery({
  queryKey: ['columns', slug],
  queryFn: () => unwrap(api.GET('/api/feeds/{slug}/columns', { params: { path: path.value } })),
  enabled: () => Boolean(slug.value),
})
const profile = useQuery({
  queryKey: ['profile', id, computed(() => delivery.value?.state)],
  queryFn: () =>
    unwrap(api.GET('/api/deliveries/{delivery_id}/profile', { params: { path: { delivery_id: id.value } } })),
  enabled: () => delivery.value?.state === 'read',
})
const seen = (name: string) => profile.data.value?.columns.find((column) => column.name === name)
/** What is typed and not kept yet, by column: apart from what the server says, so that no answer takes it away. */
const typed = ref<Record<string, Partial<Column>>>({})
const touched = computed(() => Object.keys(typed.value))
useUnsaved({ what: () => 'The columns', dirty: () => touched.value.length > 0 })
const rows = computed<Column[]>(() => {
  const agreed = data.value ?? []
  const names = agreed.length ? agreed.map((column) => column.name) : (delivery.value?.columns ?? [])
  return names.map((name) => ({
    name,
    type: null,
    role: null,
    missing: [],
    decimal: '',
    thousands: '',
    date_format: '',
    description: '',
    by_hand: false,
    ...agreed.find((column) => column.name === name),
    ...typed.value[name],
  }))
})
function set(column: Column, entries: Partial<Column>): void {
  typed.value = { ...typed.value, [column.name]: { ...typed.value[column.name], ...entries } }
}
const done = async () => {
  await queries.invalidateQueries({ queryKey: ['columns', slug.value] })
  await refresh()
}
const keep = useMutation({
  mutationFn: async () => {
    const sent = typed.value
    const columnsToKeep = data.value?.length ? rows.value.filter((column) => sent[column.name]) : rows.value
    await unwrap(
      api.PUT('/api/feeds/{slug}/columns', {
        params: { path: path.value },
        body: { columns: columnsToKeep.map((column) => ({ ...column, sketch: null })) },
      }),
    )
    return sent
  },
  onSuccess: async (sent) => {
    await done()
    typed.value = Object.fromEntries(
      Object.entries(typed.value).filter(([name, entries]) => sent[name] !== entries),
    )
  },
})
const rules = useMutation({
  mutationFn: () => unwrap(api.POST('/api/feeds/{slug}/columns/rules', { params: { path: path.value } })),
  onSuccess: done,
})
const schema = useMutation({
  mutationFn: async (file: File) =>
    unwrap(
      api.PUT('/api/feeds/{slug}/schema', {
        params: { path: path.value },
        body: { text: await file.text() },
      }),
    ),
  onSuccess: done,
})
const described = computed(() => (data.value ?? []).some((column) => column.by_hand))
const value = (event: Event) => (event.target as HTMLInputElement | HTMLSelectElement).value
const tokens = (text: string) =>
  text
    .split(',')
    .map((token) => token.trim())
    .filter(Boolean)
function read(event: Event): void {
  const input = event.target as HTMLInputElement
  if (input.files?.[0]) schema.mutate(input.files[0])
  input.value = ''
}
</script>

<template>
  <div class="place-view" tabindex="0" role="region" aria-label="Column definitions">
    <StateNote :loading="isLoading" :error="error" />
    <h2>
      Column definitions
      <span class="soft"
        >saved with the feed {{ delivery?.feed.name }}; digits that name something are text</span
      >
      <span class="files soft">
        Schema file:
        <a :href="`/api/feeds/${slug}/schema?standard=table-schema`" :download="`${slug}.schema.json`"
          >Table Schema</a
        >,
        <a :href="`/api/feeds/${slug}/schema?standard=csvw`" :download="`${slug}.csv-metadata.json`"
          >CSV on the Web</a
        ><template v-if="mayWork"
          >,
          <label class="link" for="schema-file">read one</label>
          <input id="schema-file" type="file" accept=".json,application/json" @change="read"
        /></template>
      </span>
    </h2>
    <table class="lines">
      <thead>
        <tr>
          <th>Column</th>
          <th>Its values are</th>
          <th>Seen here</th>
          <th>Decimal mark</th>
          <th>Thousands</th>
          <th>Date format</th>
          <th>Texts for missing</th>
          <th>Description</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="column in rows" :key="column.name">
          <th scope="row" class="mono name">{{ column.name }}</th>
          <td>
            <label class="hidden-label" :for="`type-${column.name}`">Type of {{ column.name }}</label>
            <select
              :id="`type-${column.name}`"
              class="field"
              :value="column.type ?? ''"
              :disabled="!mayWork"
              @change="set(column, { type: (value($event) || null) as Column['type'] })"
            >
              <option value="">not set</option>
              <option v-for="type in TYPES" :key="type" :value="type">
                {{ type }}
              </option>
            </select>
          </td>
          <td class="soft seen" :title="seen(column.name)?.values[0]?.value">
            {{ seen(column.name)?.type }} <span class="mono">{{ seen(column.name)?.values[0]?.value }}</span>
          </td>
          <td v-for="mark in ['decimal', 'thousands'] as const" :key="mark">
            <label class="hidden-label" :for="`${mark}-${column.name}`"
              >{{ mark }} of {{ column.name }}</label
            >
            <select
              v-if="['decimal', 'exact decimal', 'whole number'].includes(column.type ?? '')"
              :id="`${mark}-${column.name}`"
              class="field mark"
              :value="column[mark]"
              :disabled="!mayWork"
              @change="set(column, { [mark]: value($event) })"
            >
              <option value="">{{ mark === 'decimal' ? 'point' : 'none' }}</option>
              <option value=",">comma</option>
              <option v-if="mark === 'thousands'" value=".">point</option>
              <option v-if="mark === 'thousands'" value=" ">space</option>
              <option v-if="mark === 'thousands'" value="'">apostrophe</option>
            </select>
          </td>
          <td>
            <template v-if="column.type === 'date' || column.type === 'date-time'">
              <label class="hidden-label" :for="`form-${column.name}`"
                >Date format of {{ column.name }}</label
              >
              <TypedInput
                :id="`form-${column.name}`"
                class="field form"
                placeholder="%Y-%m-%d"
                :value="column.date_format"
                :disabled="!mayWork"
                @said="set(column, { date_format: $event })"
              />
            </template>
          </td>
          <td>
            <label class="hidden-label" :for="`missing-${column.name}`"
              >Texts for missing in {{ column.name }}</label
            >
            <TypedInput
              :id="`missing-${column.name}`"
              class="field form"
              placeholder="e.g. n/a, -999"
              :value="(column.missing ?? []).join(', ')"
              :disabled="!mayWork"
              @said="set(column, { missing: tokens($event) })"
            />
          </td>
          <td>
            <label class="hidden-label" :for="`about-${column.name}`">Description of {{ column.name }}</label>
            <TypedInput
              :id="`about-${column.name}`"
              class="field about"
              :value="column.description"
              :disabled="!mayWork"
              @said="set(column, { description: $event })"
            />
          </td>
        </tr>
      </tbody>
    </table>
    <p v-if="mayWork" class="acts">
      <button
        type="button"
        class="btn main"
        :disabled="(!touched.length && Boolean(data?.length)) || !rows.length || keep.isPending.value"
        @click="keep.mutate()"
      >
        Save for the feed
      </button>
      <button
        type="button"
        class="btn"
        :disabled="!described || touched.length > 0 || rules.isPending.value"
        @click="rules.mutate()"
      >
        Create rules from these
      </button>
      <span v-if="rules.data.value" class="soft" role="status"
        >{{ rules.data.value.change }}: revision {{ rules.data.value.revision }} of the rulebook</span
      >
    </p>
    <StateNote :error="keep.error.value ?? rules.error.value ?? schema.error.value" />
  </div>
</template>

<style scoped>
.files {
  float: right;
}
.files input {
  position: absolute;
  width: 1px;
  opacity: 0;
}
.files label {
  color: var(--press);
  cursor: pointer;
}
.files input:focus-visible {
  width: auto;
  opacity: 1;
}
.name {
  color: var(--ink);
  font-weight: 400;
}
tbody th {
  border-bottom: 1px solid var(--hair2);
}
.seen {
  max-width: 190px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.mark {
  width: 92px;
}
.form {
  width: 112px;
}
.about {
  min-width: 120px;
}
.acts {
  display: flex;
  gap: 12px;
  align-items: baseline;
  margin-top: 12px;
}
</style>
