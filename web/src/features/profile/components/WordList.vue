<script setup lang="ts">
/** The most frequent words of a column, or its characters; counted over all cells when they are asked for. */
import { api, unwrap } from '@/api/client'
import { recordsLink } from '@/features/records'
import { count, DataValue, plural, StateNote } from '@/shared'
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { useRoute } from 'vue-router'
import { useTable } from '../logic/lookedAt'

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
const rows = computed(() => (data.value?.[props.of] ?? []).slice(0, 14))
const more = computed(
  () => (props.of === 'words' ? data.value?.different_words : data.value?.different_characters) ?? 0,
)
const most = computed(() => Math.max(1, ...rows.value.map((row) => row.count)))
const door = (word: string) =>
  recordsLink(route, null, [
    {
      on: 'column', name: props.column, test: 'matches',
      value: `(?i)(?:^|[^\\p{L}\\p{N}])${word}(?:[^\\p{L}\\p{N}]|$)`,
    },
  ]) // prettier-ignore
const named = (character: string) =>
  `U+${(character.codePointAt(0) ?? 0).toString(16).toUpperCase().padStart(4, '0')}`
</script>

<template>
  <StateNote v-if="!data" :loading="isLoading" :error="error" />
  <table v-else-if="rows.length" class="lines words">
    <tbody>
      <tr v-for="row in rows" :key="row.value">
        <td class="value">
          <DataValue :value="row.value" />
          <span v-if="of === 'characters'" class="mono soft">{{ named(row.value) }}</span>
        </td>
        <td class="track"><u :style="{ width: `${(100 * row.count) / most}%` }"></u></td>
        <td class="num">
          <RouterLink v-if="of === 'words'" class="door" :to="door(row.value)">{{
            count(row.count)
          }}</RouterLink>
          <template v-else>{{ count(row.count) }}</template>
        </td>
      </tr>
    </tbody>
  </table>
  <p v-if="data" class="soft">
    {{ plural(more, of === 'words' ? 'different word' : 'different character') }}
  </p>
</template>

<style scoped>
.words td {
  height: 20px;
  border: 0;
  padding: 0 6px 0 0;
}
.value {
  max-width: 170px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.track {
  width: 110px;
}
u {
  display: block;
  height: 8px;
  min-width: 1px;
  background: var(--bar2);
}
</style>
