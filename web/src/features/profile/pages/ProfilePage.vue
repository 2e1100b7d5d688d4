<script setup lang="ts">
/** The profile: a register with a row for each column, and the sheet of the chosen one. */
import { api, must } from '@/api/client'
import { useKeys } from '@/app/keys'
import { useDelivery } from '@/features/delivery'
import { doorTo } from '@/features/records'
import { count, MiniBars, plural, share, StateNote } from '@/shared'
import { useQuery } from '@tanstack/vue-query'
import { computed, nextTick, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import ColumnSheet from '../components/ColumnSheet.vue'
import { remarksOn } from '../logic/remarks'

const route = useRoute()
const router = useRouter()
const { id, delivery } = useDelivery()
const { data, error, isLoading } = useQuery({
  queryKey: ['profile', id],
  queryFn: () =>
    must(api.GET('/api/deliveries/{delivery_id}/profile', { params: { path: { delivery_id: id.value } } })),
  enabled: () => delivery.value?.state === 'read',
  staleTime: 60_000,
})
const find = ref('')
const order = ref<'table' | 'worst' | 'role'>('table')
const onlyMarked = ref(false)
const rows = computed(() => {
  const profile = data.value
  if (!profile) return []
  const word = find.value.toLowerCase()
  const all = profile.columns
    .map((column) => ({ column, remarks: remarksOn(column, profile.records) }))
    .filter(
      ({ column, remarks }) =>
        column.name.toLowerCase().includes(word) && (!onlyMarked.value || remarks.length),
    )
  const weight = (row: (typeof all)[number]) =>
    row.column.misfits * 2 + (row.column.kinds['missing token'] ?? 0) + row.remarks.length
  if (order.value === 'worst') all.sort((a, b) => weight(b) - weight(a))
  if (order.value === 'role') all.sort((a, b) => a.column.role.localeCompare(b.column.role))
  return all
})
const chosen = computed(
  () => rows.value.find(({ column }) => column.name === route.query.column) ?? rows.value[0],
)
const place = computed(() => rows.value.findIndex((row) => row === chosen.value))

function choose(name: string | undefined): void {
  if (!name) return
  void router.replace({ query: { ...route.query, column: name } })
  void nextTick(() => document.querySelector('.register tr.on')?.scrollIntoView({ block: 'nearest' }))
}
const step = (by: number) =>
  choose(rows.value[Math.max(0, Math.min(rows.value.length - 1, place.value + by))]?.column.name)
useKeys({ j: () => step(1), k: () => step(-1) })
const present = (missing: number, tokens: number) => (data.value?.records ?? 0) - missing - tokens
</script>

<template>
  <StateNote
    v-if="delivery && delivery.state !== 'read'"
    class="wait"
    :empty="
      delivery.state === 'failed'
        ? 'The delivery could not be read, so there is nothing to profile. Intake says why.'
        : 'The delivery is being read; the profile appears here as soon as it is done.'
    "
  />
  <StateNote v-else-if="!data" class="wait" :loading="isLoading" :error="error" />
  <template v-else>
    <section class="register" tabindex="0" aria-label="Register of columns">
      <div class="tools">
        <label class="hidden-label" for="find-column">Find a column</label>
        <input id="find-column" v-model="find" class="field find" placeholder="Find a column" />
        <span>{{ plural(rows.length, 'column') }}</span>
        <label class="hidden-label" for="order-columns">Order</label>
        <select id="order-columns" v-model="order" class="field order">
          <option value="table">in table order</option>
          <option value="worst">worst first</option>
          <option value="role">by role</option>
        </select>
        <label class="check"><input v-model="onlyMarked" type="checkbox" /> only with remarks</label>
        <span class="facts">
          <RouterLink class="door" :to="doorTo(route, null, [{ on: 'any missing' }])"
            >{{ count(data.missing_cells) }} missing cells</RouterLink
          >
          <span>{{ count(data.duplicate_records) }} repeated records</span>
        </span>
      </div>
      <table class="lines">
        <thead>
          <tr>
            <th class="num">#</th>
            <th>Column</th>
            <th>Reads as</th>
            <th>Filled</th>
            <th class="num">Different</th>
            <th>Distribution</th>
            <th>Typical</th>
            <th>Stands out</th>
          </tr>
        </thead>
        <tbody>
          <tr
            v-for="{ column, remarks } in rows"
            :key="column.name"
            :class="{ on: column.name === chosen?.column.name }"
            @click="choose(column.name)"
          >
            <td class="num soft">{{ column.position }}</td>
            <td class="name">
              <button type="button" :title="column.name" :aria-pressed="column.name === chosen?.column.name">
                {{ column.name }}
              </button>
            </td>
            <td>{{ column.type }}, {{ column.role }}</td>
            <td>
              <span class="fill"
                ><u
                  :style="{
                    width: `${(100 * present(column.missing, column.kinds['missing token'] ?? 0)) / (data.records || 1)}%`,
                  }"
                ></u
              ></span>
              <span class="mono soft">{{
                share(present(column.missing, column.kinds['missing token'] ?? 0), data.records)
              }}</span>
            </td>
            <td class="num">{{ count(column.distinct) }}</td>
            <td><MiniBars :counts="column.distribution.bins.map((bin) => bin.count)" :width="64" /></td>
            <td class="mono typical" :title="column.values[0]?.value">{{ column.values[0]?.value ?? '' }}</td>
            <td class="remark" :title="remarks.map((remark) => remark.text).join(', ')">
              <template v-if="remarks[0]">
                <RouterLink
                  v-if="remarks[0].filters.length"
                  class="door"
                  :class="{ strong: remarks[0].strong }"
                  :to="doorTo(route, null, remarks[0].filters)"
                  @click.stop
                  >{{ remarks[0].text }}</RouterLink
                >
                <span v-else>{{ remarks[0].text }}</span>
                <span v-if="remarks.length > 1" class="soft more">+{{ remarks.length - 1 }}</span>
              </template>
            </td>
          </tr>
        </tbody>
      </table>
      <StateNote
        v-if="!rows.length"
        empty="No column fits. Clear the search, or show columns without remarks too."
      />
    </section>
    <ColumnSheet
      v-if="chosen"
      :column="chosen.column"
      :remarks="chosen.remarks"
      :records="data.records"
      :place="place + 1"
      :of="rows.length"
      @step="step"
    />
  </template>
</template>

<style scoped>
.wait {
  padding: 20px;
}
.register {
  flex: 1;
  min-width: 0;
  padding-left: 20px;
  overflow: auto;
}
.find {
  width: 108px;
}
.order {
  width: auto;
  font-family: var(--sans);
}
.check {
  display: flex;
  gap: 5px;
  align-items: center;
}
.facts {
  display: flex;
  gap: 15px;
  margin-left: auto;
}
th {
  position: sticky;
  top: 0;
  z-index: 1;
  padding-top: 2px !important;
  background: var(--paper);
}
td {
  height: 31px;
  padding-top: 0 !important;
  padding-bottom: 0 !important;
  vertical-align: middle !important;
  white-space: nowrap;
}
.num + td,
.num + th {
  padding-left: 0 !important;
}
tr {
  cursor: pointer;
}
tr:hover td {
  background: var(--hair2);
}
tr.on td {
  background: var(--wash);
}
tr.on td:first-child {
  box-shadow: inset 3px 0 0 var(--ink);
}
td.num:first-child {
  width: 32px;
  padding-left: 6px;
}
.name button {
  max-width: 150px;
  overflow: hidden;
  border: 0;
  padding: 0;
  background: none;
  color: var(--ink);
  font: 550 12.5px var(--mono);
  text-overflow: ellipsis;
  cursor: pointer;
}
.fill {
  display: inline-block;
  width: 46px;
  height: 3px;
  margin-right: 5px;
  background: var(--hair);
  vertical-align: middle;
}
u {
  display: block;
  height: 3px;
  background: var(--ink);
}
.typical {
  max-width: 104px;
  overflow: hidden;
  text-overflow: ellipsis;
}
.remark {
  max-width: 170px;
  overflow: hidden;
  text-overflow: ellipsis;
}
.door {
  color: var(--ink);
}
.more {
  margin-left: 6px;
}
.strong {
  font-weight: 650;
}
</style>
