<script setup lang="ts">
/** Each column's distribution in two released tables, the most different first; a column opens its classes. */
import { api, unwrap, type Schemas } from '@/api/client'
import { count, MiniBars, share, StateNote } from '@/shared'
import { useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import type { Sides } from '../logic/changes'

type Column = Schemas['ColumnDistribution']
const FIRST = 12
const props = defineProps<{ slug: string; sides: Sides; run?: number; names: [string, string] }>()
const { data, error, isLoading } = useQuery({
  queryKey: ['distributions', computed(() => [props.slug, props.sides, props.run])],
  queryFn: () =>
    unwrap(
      api.GET('/api/feeds/{slug}/distributions', {
        params: { path: { slug: props.slug }, query: props.sides },
      }),
    ),
  retry: false,
})
const all = ref(false)
const open = ref('')
const columns = computed(() => (all.value ? data.value?.columns : data.value?.columns.slice(0, FIRST)) ?? [])
const drawn = (column: Column, side: 'before' | 'after') =>
  column.classes.filter((each) => each.kind !== 'other').map((each) => each[side])
const missing = (column: Column, side: 'before' | 'after') =>
  column.classes.find((each) => each.kind === 'missing')?.[side] ?? 0
</script>

<template>
  <StateNote :loading="isLoading" :error="error" />
  <template v-if="data">
    <table class="lines">
      <thead>
        <tr>
          <th>Column</th>
          <th class="num" title="The share of records that lie in another class than before">Differs</th>
          <th>{{ names[0] }}</th>
          <th>{{ names[1] }}</th>
          <th class="num">Missing then</th>
          <th class="num">Missing now</th>
        </tr>
      </thead>
      <tbody v-for="column in columns" :key="column.name">
        <tr>
          <td class="name">
            <button
              type="button"
              class="link"
              :aria-expanded="open === column.name"
              :title="column.name"
              @click="open = open === column.name ? '' : column.name"
            >
              {{ column.name }}
            </button>
          </td>
          <td class="num">{{ (100 * column.distance).toFixed(1) }} %</td>
          <td><MiniBars :counts="drawn(column, 'before')" /></td>
          <td><MiniBars :counts="drawn(column, 'after')" /></td>
          <td class="num">{{ count(missing(column, 'before')) }}</td>
          <td class="num">{{ count(missing(column, 'after')) }}</td>
        </tr>
        <tr v-if="open === column.name">
          <td colspan="6" class="inner">
            <table>
              <thead>
                <tr>
                  <th><span class="hidden-label">Values</span></th>
                  <th v-for="name in names" :key="name" class="num" colspan="2">{{ name }}</th>
                </tr>
              </thead>
              <tbody>
                <tr v-for="each in column.classes" :key="`${each.kind} ${each.label}`">
                  <td :class="{ mono: each.kind === 'value', soft: each.kind !== 'value' }">
                    {{ each.label || '(empty text)' }}
                  </td>
                  <td class="num">{{ count(each.before) }}</td>
                  <td class="num soft">{{ share(each.before, data.records_before) }}</td>
                  <td class="num">{{ count(each.after) }}</td>
                  <td class="num soft">{{ share(each.after, data.records_after) }}</td>
                </tr>
              </tbody>
            </table>
          </td>
        </tr>
      </tbody>
    </table>
    <p v-if="data.columns.length > FIRST" class="more">
      <button type="button" class="link" @click="all = !all">
        {{ all ? `Only the first ${FIRST}` : `All ${count(data.columns.length)} columns` }}
      </button>
    </p>
  </template>
</template>

<style scoped>
.lines {
  max-width: 760px;
}
.name {
  max-width: 190px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.inner {
  padding: 2px 0 8px 16px;
}
.inner th {
  border: 0;
}
.inner td {
  padding: 1px 14px 1px 0;
  overflow-wrap: anywhere;
}
.more {
  padding: 8px 0;
}
</style>
