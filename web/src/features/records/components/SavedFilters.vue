<script setup lang="ts">
/** Filters saved under a name for all deliveries of the feed: choose, save, delete. */
import { api, unwrap } from '@/api/client'
import { usePerson } from '@/features/session'
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { areSame, asked, type Filter } from '../logic/filters'

const props = defineProps<{ slug: string; filters: Filter[] }>()
const emit = defineEmits<{ apply: [filters: Filter[]] }>()
const { mayWork } = usePerson()
const queries = useQueryClient()
const key = computed(() => ['filters', props.slug])
const saved = useQuery({
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
const save = useMutation({
  mutationFn: () =>
    unwrap(
      api.PUT('/api/feeds/{slug}/filters', {
        params: { path: { slug: props.slug } },
        body: { name: name.value, filters: props.filters.map(asked) },
      }),
    ),
  onSuccess,
})
const remove = useMutation({
  mutationFn: (filter_id: number) =>
    unwrap(
      api.DELETE('/api/feeds/{slug}/filters/{filter_id}', {
        params: { path: { slug: props.slug, filter_id } },
      }),
    ),
  onSuccess,
})
const same = computed(() =>
  saved.data.value?.find((item) => !item.problem && areSame(item.filters as Filter[], props.filters)),
)
function apply(event: Event): void {
  const filter = saved.data.value?.find(
    (item) => item.id === Number((event.target as HTMLSelectElement).value),
  )
  if (filter) emit('apply', filter.filters as Filter[])
}
</script>

<template>
  <span v-if="saved.data.value?.length || filters.length" class="saved">
    <template v-if="saved.data.value?.length">
      <label class="hidden-label" for="saved-filters">Saved filters</label>
      <select id="saved-filters" class="field" :value="same?.id ?? ''" @change="apply">
        <option value="">saved filters</option>
        <option
          v-for="item in saved.data.value"
          :key="item.id"
          :value="item.id"
          :disabled="Boolean(item.problem)"
          :title="item.problem || undefined"
        >
          {{ item.name }}{{ item.problem ? ' (cannot be used any more)' : '' }}
        </option>
      </select>
    </template>
    <template v-if="mayWork">
      <button v-if="same" type="button" class="link" @click="remove.mutate(same.id)">Delete</button>
      <form v-else-if="naming" @submit.prevent="save.mutate()">
        <label class="hidden-label" for="filter-name">Name of the filters</label>
        <input id="filter-name" v-model="name" class="field" placeholder="name" required maxlength="100" />
        <button class="link">Save</button>
        <button type="button" class="link" @click="naming = false">Cancel</button>
      </form>
      <button v-else-if="filters.length" type="button" class="link" @click="naming = true">
        Save filter
      </button>
    </template>
    <span v-if="save.error.value" role="alert">{{ save.error.value.message }}</span>
  </span>
</template>

<style scoped>
.saved,
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
