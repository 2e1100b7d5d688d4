<script setup lang="ts">
/** What the column is: proposed from its values, or said by a person, which the feed remembers. */
import { api, unwrap, type Schemas } from '@/api/client'
import { useDelivery } from '@/features/delivery'
import { usePerson } from '@/features/session'
import { count, share, StateNote } from '@/shared'
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed } from 'vue'

const props = defineProps<{ column: Schemas['ColumnProfile'] }>()
const TYPES = ['whole number', 'decimal', 'exact decimal', 'date', 'date-time', 'true/false', 'text'] as const
const ROLES = ['identifier', 'category', 'quantity', 'time', 'flag', 'free text'] as const
const CHOICES = { type: TYPES, role: ROLES }
const { id, delivery } = useDelivery()
const { mayWork } = usePerson()
const queries = useQueryClient()
const slug = computed(() => delivery.value?.feed.slug ?? '')
const agreed = useQuery({
  queryKey: ['columns', slug],
  queryFn: () => unwrap(api.GET('/api/feeds/{slug}/columns', { params: { path: { slug: slug.value } } })),
  enabled: () => Boolean(slug.value),
})
const byHand = computed(() =>
  agreed.data.value?.some((item) => item.name === props.column.name && item.by_hand),
)
const choose = useMutation({
  mutationFn: (body: { type?: (typeof TYPES)[number] | null; role?: (typeof ROLES)[number] | null }) =>
    unwrap(
      api.PUT('/api/deliveries/{delivery_id}/profile/column', {
        params: { path: { delivery_id: id.value } },
        body: { name: props.column.name, ...body },
      }),
    ),
  onSuccess: () =>
    Promise.all(
      [['profile', id.value], ['findings', id.value], ['columns', slug.value], ['proposed-checks']].map(
        (queryKey) => queries.invalidateQueries({ queryKey }),
      ),
    ),
})
const typed = (event: Event) => (event.target as HTMLSelectElement).value
const say = (entries: { type?: string; role?: string }) =>
  choose.mutate({ type: props.column.type, role: props.column.role, ...entries } as Parameters<
    typeof choose.mutate
  >[0])
const fitting = computed(() => props.column.fits + props.column.misfits)
</script>

<template>
  <div class="kind">
    <template v-for="(choices, what) in CHOICES" :key="what">
      <label class="hidden-label" :for="`column-${what}`"
        >{{ what === 'type' ? 'Type' : 'Role' }} of {{ column.name }}</label
      >
      <select
        :id="`column-${what}`"
        class="field"
        :value="column[what]"
        :disabled="!mayWork || choose.isPending.value"
        @change="say({ [what]: typed($event) })"
      >
        <option v-for="choice in choices" :key="choice">{{ choice }}</option>
      </select>
    </template>
    <span class="soft" :title="`${count(column.fits)} of ${count(fitting)} values read as ${column.type}`"
      >{{ share(column.fits, fitting) }} fit</span
    >
    <span v-if="choose.isPending.value" class="soft" role="status">measuring</span>
    <span v-else-if="byHand" class="soft"
      >by hand<template v-if="mayWork"
        >, <button type="button" class="link" @click="choose.mutate({})">as proposed</button></template
      ></span
    >
    <StateNote :error="choose.error.value" />
  </div>
</template>

<style scoped>
.kind {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 12px;
  align-items: baseline;
}
.field {
  width: auto;
  font-family: var(--sans);
}
</style>
