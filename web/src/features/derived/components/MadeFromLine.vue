<script setup lang="ts">
/** On a feed's page: what it is made from, how that last went, and the way to change it. */
import { api, unwrap } from '@/api/client'
import { useFreshWithWork } from '@/features/work'
import { minute, plural, StateNote } from '@/shared'
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed } from 'vue'

const props = defineProps<{ slug: string; mayWork: boolean }>()
const queries = useQueryClient()
const params = computed(() => ({ path: { slug: props.slug } }))
const { data, error } = useQuery({
  queryKey: ['made-from', computed(() => props.slug)],
  queryFn: () => unwrap(api.GET('/api/feeds/{slug}/derived-from', { params: params.value })),
})
useFreshWithWork('made-from')
const plan = computed(() => data.value?.plan)
const names = computed(() => {
  const { tables = [] } = data.value ?? {}
  return (plan.value?.sources ?? []).map((slug) => tables.find((each) => each.slug === slug)?.name ?? slug)
})
const deliver = useMutation({
  mutationFn: () => unwrap(api.POST('/api/feeds/{slug}/derived-from/deliver', { params: params.value })),
  onSuccess: () => queries.invalidateQueries({ queryKey: ['made-from', props.slug] }),
})
</script>

<template>
  <StateNote :error="error ?? deliver.error.value" />
  <template v-if="data">
    <p v-if="plan">
      Made from {{ names.join(', ') }} in {{ plural(plan.steps.length, 'step') }}; delivered anew whenever one
      of them is released or withdrawn.
    </p>
    <p v-if="plan" class="now">
      <span :class="{ failed: plan.last_failed }" role="status">{{
        plan.last_at ? `${minute(plan.last_at)}: ${plan.last_said}` : 'on its way'
      }}</span>
      <RouterLink :to="{ name: 'made-from', params: { slug } }">{{
        mayWork ? 'Change' : 'Steps'
      }}</RouterLink>
      <RouterLink :to="{ name: 'lineage', params: { slug } }">Lineage</RouterLink>
      <button
        v-if="mayWork && !plan.is_current"
        type="button"
        class="link"
        :disabled="deliver.isPending.value"
        @click="deliver.mutate()"
      >
        Make it now
      </button>
    </p>
    <p v-else class="soft">
      Its deliveries come from outside.
      <RouterLink v-if="mayWork" :to="{ name: 'made-from', params: { slug } }"
        >Make it from released tables</RouterLink
      >
    </p>
  </template>
</template>

<style scoped>
.now {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 16px;
  align-items: baseline;
  margin-top: 3px;
}
.failed {
  font-weight: 650;
}
</style>
