<script setup lang="ts">
/** The contract of the released table, edited in place and agreed as a version. */
import { api, unwrap } from '@/api/client'
import { useUnsaved } from '@/app/unsaved'
import { DialogBox, minute, plural, StateNote } from '@/shared'
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'
import {
  hasSize,
  sizeHint,
  sizeOf,
  TYPES,
  valuesOf,
  withSize,
  withType,
  type Column,
} from '../logic/contract'

const props = defineProps<{ slug: string; mayWork: boolean }>()
const queries = useQueryClient()
const path = computed(() => ({ path: { slug: props.slug } }))
const { data, error, isLoading } = useQuery({
  queryKey: ['contract', computed(() => props.slug)],
  queryFn: () => unwrap(api.GET('/api/feeds/{slug}/contract', { params: path.value })),
})
const draft = ref<Column[]>([])
const sizes = ref<string[]>([])
const change = ref('')
const listed = ref<number>()
const list = ref('')
function begin(): void {
  draft.value = (data.value?.columns ?? []).map((column) => ({ ...column }))
  sizes.value = draft.value.map(sizeOf)
  change.value = ''
}
const changed = computed(
  () =>
    JSON.stringify(draft.value) !== JSON.stringify(data.value?.columns ?? []) ||
    sizes.value.some((size, place) => size !== sizeOf(draft.value[place]!)),
)
/** What others agreed meanwhile is taken over only where nothing is typed. */
watch(
  data,
  (now, before) => {
    const untouched = JSON.stringify(draft.value) === JSON.stringify(before?.columns ?? [])
    if (now && untouched) begin()
  },
  { immediate: true },
)
useUnsaved({ what: () => 'The contract', dirty: () => changed.value })
const wrong = (place: number) => withSize(draft.value[place]!, sizes.value[place]!) === undefined
const isWrong = computed(() => draft.value.some((_, place) => wrong(place)))
function size(place: number, typed: string): void {
  sizes.value[place] = typed
  const column = withSize(draft.value[place]!, typed)
  if (column) draft.value[place] = column
}
function retype(place: number, type: string): void {
  draft.value[place] = withType(draft.value[place]!, type as Column['type'])
  sizes.value[place] = sizeOf(draft.value[place]!)
}
function openList(place: number): void {
  list.value = (draft.value[place]!.allowed ?? []).join('\n')
  listed.value = place
}
function keepList(): void {
  draft.value[listed.value!] = { ...draft.value[listed.value!]!, allowed: valuesOf(list.value) }
  listed.value = undefined
}
const agree = useMutation({
  mutationFn: () =>
    unwrap(
      api.PUT('/api/feeds/{slug}/contract', {
        params: path.value,
        body: { based_on: data.value?.number ?? 0, change: change.value, columns: draft.value },
      }),
    ),
  onSuccess: async (version) => {
    queries.setQueryData(['contract', props.slug], version)
    begin()
    await queries.invalidateQueries()
  },
})
const FLAGS = [
  ['required', 'Filled', 'No value may be missing'],
  ['key', 'Key', 'Tells records apart: no two may have the same'],
  ['personal', 'Personal', 'Says something of persons'],
  ['masked', 'Masked', 'May only go out masked by a rule'],
] as const
</script>

<template>
  <StateNote :loading="isLoading" :error="error" />
  <StateNote
    v-if="data && !data.columns.length"
    empty="A contract says what the columns of the released table are. It is proposed when a delivery was run."
  />
  <form v-else-if="data" @submit.prevent="agree.mutate()">
    <p class="soft">
      <template v-if="data.number"
        >Version {{ data.number }}, {{ data.change }}, {{ data.who }}
        <span class="mono">{{ minute(data.at ?? '') }}</span>. A release that does not keep it is not
        published.</template
      >
      <template v-else
        >Nothing is agreed yet. This is what the newest run would keep; agree it, and a release that does not
        keep it is not published.</template
      >
    </p>
    <div class="scroll" tabindex="0" role="region" aria-label="Contract">
      <table class="lines">
        <thead>
          <tr>
            <th>Column</th>
            <th>Label</th>
            <th>Type</th>
            <th>Size</th>
            <th v-for="[flag, label, about] in FLAGS" :key="flag" :title="about" class="flag">{{ label }}</th>
            <th>Unit</th>
            <th>Allowed values</th>
            <th>Description</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="(column, place) in draft" :key="column.name">
            <th scope="row" :title="column.example ? `for example ${column.example}` : undefined">
              {{ column.name }}
            </th>
            <template v-if="mayWork">
              <td class="label">
                <input
                  v-model="column.label"
                  class="field"
                  :aria-label="`Label of ${column.name}`"
                  maxlength="200"
                />
              </td>
              <td>
                <select
                  class="field"
                  :value="column.type"
                  :aria-label="`Type of ${column.name}`"
                  @change="retype(place, ($event.target as HTMLSelectElement).value)"
                >
                  <option v-for="type in TYPES" :key="type">{{ type }}</option>
                </select>
              </td>
              <td class="size">
                <input
                  v-if="hasSize(column.type)"
                  class="field"
                  :value="sizes[place]"
                  :title="sizeHint(column.type)"
                  :aria-label="`Size of ${column.name}: ${sizeHint(column.type)}`"
                  :aria-invalid="wrong(place)"
                  @input="size(place, ($event.target as HTMLInputElement).value)"
                />
              </td>
              <td v-for="[flag, label] in FLAGS" :key="flag" class="flag">
                <input v-model="column[flag]" type="checkbox" :aria-label="`${label}: ${column.name}`" />
              </td>
              <td class="unit">
                <input
                  v-model="column.unit"
                  class="field"
                  :aria-label="`Unit of ${column.name}`"
                  maxlength="60"
                />
              </td>
              <td>
                <button type="button" class="link" @click="openList(place)">
                  {{ column.allowed?.length ? plural(column.allowed.length, 'value') : 'any' }}
                </button>
              </td>
              <td class="about">
                <input
                  v-model="column.description"
                  class="field"
                  :aria-label="`Description of ${column.name}`"
                  maxlength="2000"
                />
              </td>
            </template>
            <template v-else>
              <td>{{ column.label }}</td>
              <td>{{ column.type }}</td>
              <td class="mono">{{ sizeOf(column) }}</td>
              <td v-for="[flag] in FLAGS" :key="flag" class="flag">{{ column[flag] ? 'yes' : '' }}</td>
              <td>{{ column.unit }}</td>
              <td :title="column.allowed?.join('\n')">
                {{ column.allowed?.length ? plural(column.allowed.length, 'value') : 'any' }}
              </td>
              <td>{{ column.description }}</td>
            </template>
          </tr>
        </tbody>
      </table>
    </div>
    <p v-if="isWrong" role="alert" class="wrong">
      A size is the most characters of a text (40), or all digits of a decimal and those after the point (8,
      2).
    </p>
    <p v-if="mayWork && (changed || !data.number)" class="acts">
      <input
        v-model="change"
        class="field"
        placeholder="what changed, in a few words"
        aria-label="What changed"
        maxlength="400"
      />
      <button class="btn main" :disabled="isWrong || agree.isPending.value">
        Agree version {{ data.number + 1 }}
      </button>
      <button v-if="changed" type="button" class="btn" @click="begin">Discard changes</button>
    </p>
    <StateNote :error="agree.error.value" />
  </form>
  <DialogBox
    v-if="listed !== undefined"
    :title="`Values that ${draft[listed]!.name} may have`"
    :width="420"
    @close="listed = undefined"
  >
    <form class="list" @submit.prevent="keepList">
      <label for="allowed">One a line; none: any value</label>
      <textarea id="allowed" v-model="list" class="field mono" rows="10"></textarea>
      <button class="btn main">Keep</button>
    </form>
  </DialogBox>
</template>

<style scoped>
.scroll {
  overflow: auto;
}
tbody th {
  border-bottom: 1px solid var(--hair2);
  padding: 3px 10px 3px 0;
  color: var(--ink);
  font: 550 12.5px var(--mono);
  text-align: left;
  white-space: nowrap;
}
td {
  padding-top: 2px !important;
  padding-bottom: 2px !important;
}
td .field {
  border-bottom-color: var(--hair);
  background-color: transparent;
}
td .field:hover,
td .field:focus {
  border-bottom-color: var(--faint);
}
.flag {
  width: 1%;
  text-align: center;
}
.label {
  min-width: 110px;
}
.size {
  width: 74px;
}
.unit {
  width: 70px;
}
.about {
  min-width: 190px;
}
[aria-invalid='true'] {
  border-bottom-color: var(--alarm, #a33) !important;
}
.wrong {
  padding: 6px 0 0;
}
.acts {
  display: flex;
  gap: 10px;
  padding: 10px 0;
}
.acts .field {
  max-width: 320px;
}
.list {
  display: grid;
  gap: 8px;
  justify-items: start;
}
</style>
