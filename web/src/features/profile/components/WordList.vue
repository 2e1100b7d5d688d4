<script setup lang="ts">
/** The most frequent words of a column, or its characters; counted over all cells when they are asked for. */
import { api, unwrap } from '@/api/client'
import { recordsLink } from '@/features/records'
import { plural, StateNote } from '@/shared'
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { useRoute } from 'vue-router'
import { useTable } from '../logic/lookedAt'
import ValueBars, { type ValueRow } from './ValueBars.vue'

const SHOWN = 14

const props = defineProps<{ id: number; column: string; of: 'words' | 'characters' }>()
const route = useRoute()
const table = useTable()
const { data, error, isLoading } = useQuery({
  queryKey: ['words', computed(() => props.id), table, computed(() => props.column)],
  queryFn: ({ signal }) =>
    unwrap(
      api.GET('/api/deliveries/{delivery_id}/words', {
        params: { path: { delivery_id: props.id }, query: { column: props.column, table: table.value } },
        signal,
      }),
    ),
  staleTime: Infinity,
})
const rows = computed<ValueRow[]>(() =>
  props.of === 'words'
    ? (data.value?.words ?? []).slice(0, SHOWN).map((row) => ({ ...row, to: door(row.pattern) }))
    : (data.value?.characters ?? []).slice(0, SHOWN).map((row) => ({ ...row, note: named(row.value) })),
)
const more = computed(
  () => (props.of === 'words' ? data.value?.different_words : data.value?.different_characters) ?? 0,
)
const door = (pattern: string) =>
  recordsLink(route, null, [{ on: 'column', name: props.column, test: 'matches', value: pattern }])
const named = (character: string) =>
  `U+${(character.codePointAt(0) ?? 0).toString(16).toUpperCase().padStart(4, '0')}`
</script>

<template>
  <StateNote v-if="!data" :loading="isLoading" :error="error" />
  <ValueBars v-else :rows="rows" />
  <p v-if="data" class="soft">
    {{ plural(more, of === 'words' ? 'different word' : 'different character') }}
  </p>
</template>
