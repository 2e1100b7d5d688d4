<script setup lang="ts">
/** Filters kept under a name for all deliveries of the feed: choose, keep, forget. */
import { api, unwrap, type Schemas } from '@/api/client'
import { usePerson } from '@/features/session'
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import type { Filter } from '../logic/filters'

const props = defineProps<{ slug: string; filters: Filter[] }>()
const emit = defineEmits<{ apply: [filters: Filter[]] }>()
const { mayWork } = usePerson()
const queries = useQueryClient()
const key = computed(() => ['filters', props.slug])
const kept = useQuery({
  queryKey: key,
  queryFn: () => unwrap(api.GET('/api/feeds/{slug}/filters', { params: { path: { slug: props.slug } } })),
})
const naming = ref(false)
const name = ref('')
const onSuccess = async () => {
  naming.value = false
  name.value = ''
  await queries.invalidateQueries({ queryKey: key.value })
}
const keep = useMutation({
  mutationFn: () =>
    unwrap(
      api.PUT('/api/feeds/{slug}/filters', {
        params: { path: { slug: props.slug } },
        body: { name: name.value, filters: props.filters as Schemas['Filter'][] },
      }),
    ),
  onSuccess,
})
const forget = useMutation({
  mutationFn: (filter_id: number) =>
    unwrap(
      api.DELETE('/api/feeds/{slug}/filters/{filter_id}', {
        params: { path: { slug: props.slug, filter_id } },
      }),
    ),
  onSuccess,
})
const plain = (filters: unknown) =>
  JSON.stringify(filters, (_, value: unknown) => (value === '' ? undefined : value))
const same = computed(() => kept.data.value?.find((one) => plain(one.filters) === plain(full(props.filters))))
/** Filters with every field, as the server gives them. */
const full = (filters: Filter[]): unknown[] =>
  filters.map((one) => ({
    on: one.on, name: one.name ?? '', test: one.test ?? 'is', value: one.value ?? '', values: one.values ?? [],
    of: full(one.of ?? []),
  })) // prettier-ignore
function apply(event: Event): void {
  const found = kept.data.value?.find((one) => one.id === Number((event.target as HTMLSelectElement).value))
  if (found) emit('apply', found.filters as Filter[])
}
</script>

<template>
  <span v-if="kept.data.value?.length || filters.length" class="kept">
    <template v-if="kept.data.value?.length">
      <label class="hidden-label" for="kept-filters">Saved filters</label>
      <select id="kept-filters" class="field" :value="same?.id ?? ''" @change="apply">
        <option value="">saved filters</option>
        <option v-for="one in kept.data.value" :key="one.id" :value="one.id">{{ one.name }}</option>
      </select>
    </template>
    <template v-if="mayWork">
      <button v-if="same" type="button" class="link" @click="forget.mutate(same.id)">Delete</button>
      <form v-else-if="naming" @submit.prevent="keep.mutate()">
        <label class="hidden-label" for="filter-name">Name of the filters</label>
        <input id="filter-name" v-model="name" class="field" placeholder="name" required maxlength="100" />
        <button class="link">Save</button>
        <button type="button" class="link" @click="naming = false">Cancel</button>
      </form>
      <button v-else-if="filters.length" type="button" class="link" @click="naming = true">
        Save filter
      </button>
    </template>
    <span v-if="keep.error.value" role="alert">{{ keep.error.value.message }}</span>
  </span>
</template>

<style scoped>
.kept,
form {
  display: flex;
  gap: 9px;
  align-items: center;
}
.field {
  width: 118px;
  font-family: var(--sans);
}
</style>
