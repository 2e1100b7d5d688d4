<script setup lang="ts">
/** The first records that a rule touched in the trial: before and after, the difference in place. */
import { api, must, type Schemas } from '@/api/client'
import { doorTo, type Filter } from '@/features/records'
import { count, DataValue, plural, StateNote } from '@/shared'
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { useRoute } from 'vue-router'

const props = defineProps<{
  delivery: number
  run: number
  effect: Schemas['EffectOut']
  columns: string[]
  isCheck: boolean
}>()
const route = useRoute()
const filters = computed<Filter[]>(() => [{ on: 'rule', value: String(props.effect.number) }])
const { data, error, isLoading } = useQuery({
  queryKey: ['effect', computed(() => [props.delivery, props.run, props.effect.number])],
  queryFn: () =>
    must(
      api.GET('/api/deliveries/{delivery_id}/records', {
        params: {
          path: { delivery_id: props.delivery },
          query: { run: props.run, where: JSON.stringify(filters.value), limit: 12 },
        },
      }),
    ),
  placeholderData: keepPreviousData,
})
const rows = computed(() => {
  const page = data.value
  if (!page) return []
  const names = page.columns.map(({ name }) => name)
  const wanted = props.columns.length ? props.columns : names
  return page.rows
    .flatMap((row) =>
      wanted
        .map((name) => ({ name, at: names.indexOf(name) }))
        .filter(({ at }) => at >= 0)
        .map(({ name, at }) => ({
          key: `${row.record} ${name}`,
          record: row.record,
          origin: `${page.files[row.file]} ${row.line}`,
          name,
          before: row.originals?.[at],
          after: row.cells[at],
          wrong: (row.reasons ?? []).some(
            (r) => r.rule === props.effect.number && String(r.name).split(', ').includes(name),
          ),
        }))
        .filter((cell) =>
          props.isCheck
            ? cell.wrong || props.columns.length === 1
            : cell.before !== null || props.effect.removed > 0,
        ),
    )
    .slice(0, 12)
})
const headline = computed(() => {
  const e = props.effect
  if (props.isCheck) return `${plural(e.broken, 'record')} ${e.broken === 1 ? 'breaks' : 'break'} it`
  if (e.columns) return `${plural(e.columns, 'column')} dropped`
  if (e.kind.startsWith('remove')) return `${plural(e.removed, 'record')} removed`
  return `${plural(e.cells, 'cell')} ${e.cells === 1 ? 'changes' : 'change'}`
})
</script>

<template>
  <div class="head">
    <b>{{ headline }}</b>
    <span v-if="!isCheck && effect.unconverted" class="soft"
      >{{ count(effect.unconverted) }} not understood</span
    >
    <RouterLink v-if="data?.total" class="open" :to="doorTo(route, run, filters)"
      >Open the {{ plural(data.total, 'record') }}</RouterLink
    >
  </div>
  <StateNote :loading="isLoading" :error="error" />
  <table v-if="rows.length" class="lines">
    <thead>
      <tr>
        <th class="num">Record</th>
        <th>File, line</th>
        <th>Column</th>
        <th>{{ isCheck ? 'Value' : 'As delivered' }}</th>
        <th v-if="!isCheck">Now</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="row in rows" :key="row.key">
        <td class="num">{{ count(row.record) }}</td>
        <td class="mono soft">{{ row.origin }}</td>
        <td class="mono">{{ row.name }}</td>
        <td>
          <DataValue
            :value="isCheck ? row.after : (row.before ?? row.after)"
            :was="!isCheck && row.before !== null"
          />
        </td>
        <td v-if="!isCheck"><DataValue :value="row.after" /></td>
      </tr>
    </tbody>
  </table>
  <p v-else-if="data && !data.total" class="soft nothing">Nothing in this delivery is touched by it.</p>
</template>

<style scoped>
.head {
  display: flex;
  gap: 16px;
  margin-top: 14px;
  border-top: 1px solid var(--ink);
  padding: 8px 0 6px;
}
.open {
  margin-left: auto;
}
.nothing {
  padding-top: 4px;
}
</style>
