<script setup lang="ts">
/** How the sources become one table: a row for each of its columns, and what each source puts there. */
import { api, unwrap } from '@/api/client'
import { useUnsaved } from '@/app/unsaved'
import { useDelivery } from '@/features/delivery'
import { usePerson } from '@/features/session'
import { plural, StateNote, TypedInput } from '@/shared'
import { keepPreviousData, useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'
import { type Edit, fillerOf, leftOut, withEdit, withFiller, withName } from '../logic/matching'
import DesignChanges from './DesignChanges.vue'

const { id, delivery, refresh } = useDelivery()
const { mayWork } = usePerson()
const queries = useQueryClient()
const path = computed(() => ({ delivery_id: id.value }))
const { data, error, isLoading } = useQuery({
  queryKey: ['design', id, computed(() => delivery.value?.state)],
  queryFn: () => unwrap(api.GET('/api/deliveries/{delivery_id}/design', { params: { path: path.value } })),
  placeholderData: keepPreviousData,
})
const kept = useQuery({
  queryKey: ['sources', id, computed(() => delivery.value?.state)],
  queryFn: () => unwrap(api.GET('/api/deliveries/{delivery_id}/sources', { params: { path: path.value } })),
  placeholderData: keepPreviousData,
})
const edits = ref<Record<number, Edit>>({})
const facts = ref<string[]>([])
const naming = ref('')
const renamed = ref<Record<string, string>>({})
watch(
  () => data.value?.columns,
  () => ((edits.value = {}), (facts.value = []), (renamed.value = {})),
)
const sources = computed(() => (data.value?.sources ?? []).filter((source) => !source.left_out))
const columns = computed(() => {
  const filled = new Set(sources.value.flatMap((source) => Object.keys(source.facts)))
  const named = new Set(sources.value.map((source) => source.source_column))
  const all = [...new Set([...(data.value?.columns ?? []), ...(data.value?.agreed ?? []), ...facts.value])]
  return all.map((name) => ({
    name: renamed.value[name] ?? name,
    agreed: data.value?.agreed.includes(name) ?? false,
    fact: filled.has(name) || facts.value.includes(name),
    origin: named.has(name),
  }))
})
const edit = (source: number): Edit => edits.value[source] ?? { columns: {}, facts: {} }
const example = (at: number, name: string) => {
  const source = sources.value[at]
  return source && name ? (source.examples[source.names.indexOf(name)] ?? '') : ''
}
function fill(at: number, column: string, name: string): void {
  const source = sources.value[at]
  if (source) edits.value[source.id] = withFiller(source, edit(source.id), column, name)
}
function state(source: number, column: string, value: string): void {
  const now = edit(source)
  edits.value[source] = { ...now, facts: { ...now.facts, [column]: value } }
}
function take(at: number, name: string): void {
  const source = sources.value[at]
  if (source)
    edits.value[source.id] = { ...edit(source.id), columns: { ...edit(source.id).columns, [name]: name } }
}
function addFact(): void {
  const name = naming.value.trim()
  if (name && !columns.value.some((column) => column.name === name)) facts.value.push(name)
  naming.value = ''
}
const origin = computed(() => sources.value.map((source) => source.source_column).find(Boolean) ?? '')
function nameOrigin(name: string): void {
  for (const source of sources.value)
    edits.value[source.id] = { ...edit(source.id), source_column: name.trim() }
}
function rename(column: string, now: string): void {
  const name = now.trim()
  if (!name || columns.value.some((column) => column.name === name)) return
  for (const source of sources.value) edits.value[source.id] = withName(source, edit(source.id), column, name)
  const first = Object.keys(renamed.value).find((known) => renamed.value[known] === column) ?? column
  renamed.value = { ...renamed.value, [first]: name }
}
const changed = computed(() => Object.keys(edits.value).length > 0)
useUnsaved({ what: () => 'The table', dirty: () => changed.value && !keep.isPending.value })
const keep = useMutation({
  mutationFn: async () => {
    for (const [source, one] of Object.entries(edits.value)) {
      const request = kept.data.value?.find((known) => known.id === Number(source))?.request ?? {}
      await unwrap(
        api.PUT('/api/deliveries/{delivery_id}/sources/{source_id}/settings', {
          params: { path: { ...path.value, source_id: Number(source) } },
          body: { request: withEdit(request, one), left_out: false },
        }),
      )
    }
  },
  onSettled: async () => {
    edits.value = {}
    await refresh()
    await queries.invalidateQueries({ queryKey: ['design', id.value] })
    await queries.invalidateQueries({ queryKey: ['sources', id.value] })
  },
})
const value = (event: Event) => (event.target as HTMLInputElement | HTMLSelectElement).value
</script>

<template>
  <div class="place-view" tabindex="0" role="region" aria-label="How the sources become one table">
    <StateNote :loading="isLoading" :error="error" />
    <template v-if="data">
      <DesignChanges :design="data" />
      <h2>
        One table of {{ plural(sources.length, 'source') }}
        <span class="soft"
          >{{ plural(data.columns.length, 'column') }}; the order of the records is kept</span
        >
      </h2>
      <table class="lines match">
        <thead>
          <tr>
            <th>Column of the table</th>
            <th v-for="source in sources" :key="source.id" class="source">
              <span class="mono">{{ source.name }}</span> {{ plural(source.records, 'record') }}
            </th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="column in columns" :key="column.name">
            <th scope="row" class="mono">
              <template v-if="column.agreed || !mayWork"
                >{{ column.name }} <small v-if="column.agreed" class="soft">agreed</small></template
              >
              <template v-else>
                <label class="hidden-label" :for="`name-${column.name}`">Name of {{ column.name }}</label>
                <TypedInput
                  :id="`name-${column.name}`"
                  class="field name"
                  :value="column.name"
                  @said="rename(column.name, $event)"
                />
              </template>
            </th>
            <td v-for="(source, at) in sources" :key="source.id">
              <span v-if="column.origin" class="soft">the source's name</span>
              <template v-else-if="column.fact && !fillerOf(source, column.name, edit(source.id))">
                <label class="hidden-label" :for="`fact-${source.id}-${column.name}`"
                  >{{ column.name }} of {{ source.name }}</label
                >
                <TypedInput
                  :id="`fact-${source.id}-${column.name}`"
                  class="field fact"
                  :value="edit(source.id).facts[column.name] ?? source.facts[column.name] ?? ''"
                  placeholder="the same in every record"
                  :disabled="!mayWork"
                  @said="state(source.id, column.name, $event)"
                />
              </template>
              <div v-else class="filled">
                <label class="hidden-label" :for="`fill-${source.id}-${column.name}`"
                  >What {{ source.name }} puts in {{ column.name }}</label
                >
                <select
                  :id="`fill-${source.id}-${column.name}`"
                  class="field"
                  :class="{ lacks: !fillerOf(source, column.name, edit(source.id)) }"
                  :value="fillerOf(source, column.name, edit(source.id))"
                  :disabled="!mayWork"
                  @change="fill(at, column.name, value($event))"
                >
                  <option value="">does not have it</option>
                  <option v-for="name in source.names" :key="name">{{ name }}</option>
                </select>
                <span
                  class="soft mono example"
                  :title="example(at, fillerOf(source, column.name, edit(source.id)))"
                  >{{ example(at, fillerOf(source, column.name, edit(source.id))) }}</span
                >
              </div>
            </td>
          </tr>
          <tr v-if="sources.some((source) => leftOut(source, edit(source.id)).length)">
            <th scope="row" class="soft">left out</th>
            <td v-for="(source, at) in sources" :key="source.id">
              <span v-for="name in leftOut(source, edit(source.id))" :key="name" class="out">
                <span class="mono">{{ name }}</span>
                <button v-if="mayWork" type="button" class="link" @click="take(at, name)">take it</button>
              </span>
            </td>
          </tr>
        </tbody>
      </table>
      <form v-if="mayWork" class="acts" @submit.prevent="addFact">
        <label for="new-fact">Add a column with a fact about each source</label>
        <input id="new-fact" v-model="naming" class="field new" placeholder="e.g. laboratory" />
        <button class="btn" :disabled="!naming.trim()">Add</button>
        <label for="origin-column">Source's name in column</label>
        <TypedInput
          id="origin-column"
          class="field new"
          :value="origin"
          placeholder="none"
          @said="nameOrigin($event)"
        />
        <span class="gap"></span>
        <template v-if="changed">
          <button type="button" class="btn main" :disabled="keep.isPending.value" @click="keep.mutate()">
            Read with these matches
          </button>
          <button type="button" class="btn" @click="((edits = {}), (renamed = {}))">Discard changes</button>
        </template>
      </form>
      <StateNote :error="keep.error.value" />
    </template>
  </div>
</template>

<style scoped>
.match {
  width: auto;
  min-width: 60%;
}
.match thead th {
  position: sticky;
  top: 0;
  background: var(--paper);
}
.match td,
.match tbody th {
  min-width: 200px;
  border-bottom: 1px solid var(--hair2);
  padding: 2px 22px 2px 0;
  color: var(--ink);
  font-weight: 400;
  text-align: left;
}
.match tbody th.soft {
  color: var(--soft);
}
.filled {
  display: grid;
  grid-template-columns: 150px minmax(0, 190px);
  gap: 10px;
  align-items: baseline;
}
.example {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.lacks {
  color: var(--soft);
  font-style: italic;
}
.name {
  max-width: 180px;
}
.fact {
  max-width: 240px;
}
.out {
  margin-right: 14px;
}
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 12px;
  align-items: baseline;
  margin-top: 12px;
}
.acts label {
  color: var(--soft);
}
.new {
  width: 130px;
}
.gap {
  flex: 1;
}
</style>
