<script setup lang="ts">
/** Control totals: what the supplier stated beside what was loaded; typed in where none came. */
import { api, unwrap } from '@/api/client'
import { useDelivery } from '@/features/delivery'
import { usePerson } from '@/features/session'
import { StateNote } from '@/shared'
import { keepPreviousData, useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'

const { id, delivery, refresh } = useDelivery()
const { mayWork } = usePerson()
const queries = useQueryClient()
const path = computed(() => ({ delivery_id: id.value }))
const { data, error, isLoading } = useQuery({
  queryKey: ['totals', id, computed(() => delivery.value?.state)],
  queryFn: () => unwrap(api.GET('/api/deliveries/{delivery_id}/totals', { params: { path: path.value } })),
  placeholderData: keepPreviousData,
})
const files = useQuery({
  queryKey: ['files', id],
  queryFn: () => unwrap(api.GET('/api/deliveries/{delivery_id}/files', { params: { path: path.value } })),
})
const companions = computed(() => files.data.value?.filter((file) => file.companion) ?? [])
const TYPED = 'entered'
const records = ref('')
const sums = ref<{ column: string; sum: string }[]>([])
const stated = computed(
  () =>
    data.value?.totals.find((total) => total.source === TYPED) ??
    data.value?.totals.find((total) => !total.of),
)
/** Only totals that are other than before replace what stands in the fields, not every answer. */
watch(
  () => JSON.stringify([stated.value?.records, stated.value?.sums]),
  () => {
    records.value = String(stated.value?.records ?? '')
    sums.value = Object.entries(stated.value?.sums ?? {}).map(([column, sum]) => ({
      column,
      sum: String(sum),
    }))
  },
  { immediate: true },
)
const body = computed(() => ({
  records: records.value.trim() ? Number(records.value.replace(/[^0-9]/g, '')) : null,
  sums: Object.fromEntries(
    sums.value
      .filter((eachSum) => eachSum.column && eachSum.sum.trim())
      .map((eachSum) => [eachSum.column, eachSum.sum.replace(',', '.')]),
  ),
}))
const done = async () => {
  await refresh()
  await queries.invalidateQueries({ queryKey: ['totals', id.value] })
  await queries.invalidateQueries({ queryKey: ['files', id.value] })
}
const keep = useMutation({
  mutationFn: (typed: boolean) =>
    unwrap(
      api.PUT('/api/deliveries/{delivery_id}/totals', {
        params: { path: path.value },
        body: { totals: typed ? { ...body.value, source: TYPED, of: '' } : null },
      }),
    ),
  onSuccess: done,
})
const treat = useMutation({
  mutationFn: (file: number) =>
    unwrap(
      api.PUT('/api/deliveries/{delivery_id}/files/{file_id}/companion', {
        params: { path: { ...path.value, file_id: file }, query: { companion: false } },
      }),
    ),
  onSuccess: done,
})
</script>

<template>
  <div class="place-view" tabindex="0" role="region" aria-label="Control totals">
    <StateNote :loading="isLoading" :error="error" />
    <template v-if="data">
      <h2>
        Control totals
        <span class="soft">{{
          data.totals.length
            ? `from: ${data.totals.map((total) => total.source).join(', ')}`
            : 'none came with this delivery'
        }}</span>
      </h2>
      <p v-for="file in companions" :key="file.id" class="soft">
        <span class="mono">{{ file.name }}</span> is treated as a file of control totals.
        <button v-if="mayWork" type="button" class="link" @click="treat.mutate(file.id)">
          It is a file of records
        </button>
      </p>
      <table v-if="data.compared.length" class="lines compared">
        <thead>
          <tr>
            <th>What</th>
            <th class="num">Stated</th>
            <th class="num">Loaded</th>
            <th class="num">Difference</th>
            <th>Verdict</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="item in data.compared" :key="item.what + item.of" :class="{ wrong: !item.agrees }">
            <td>
              {{ item.what }} <span v-if="item.of" class="soft">in {{ item.of }}</span>
            </td>
            <td class="num">{{ item.stated }}</td>
            <td class="num">{{ item.loaded || '–' }}</td>
            <td class="num">{{ item.difference || '–' }}</td>
            <td>
              {{ item.agrees ? 'agrees' : 'differs: the release gate is not met' }}
              <span class="soft">{{ item.remark }}</span>
            </td>
          </tr>
        </tbody>
      </table>
      <form v-if="mayWork" @submit.prevent="keep.mutate(true)">
        <h2>{{ data.totals.length ? 'Enter others, for the whole delivery' : 'Enter them' }}</h2>
        <label for="total-records">Records</label>
        <input id="total-records" v-model="records" class="field" inputmode="numeric" />
        <template v-for="(eachSum, i) in sums" :key="i">
          <span class="pair">
            <label :for="`sum-column-${i}`">Sum of</label>
            <select :id="`sum-column-${i}`" v-model="eachSum.column" class="field">
              <option v-for="name in delivery?.columns" :key="name">{{ name }}</option>
            </select>
          </span>
          <span class="pair">
            <label class="hidden-label" :for="`sum-${i}`">The sum</label>
            <input :id="`sum-${i}`" v-model="eachSum.sum" class="field" inputmode="decimal" />
            <button type="button" class="link" @click="sums.splice(i, 1)">drop</button>
          </span>
        </template>
        <p class="acts">
          <button type="button" class="btn" @click="sums.push({ column: '', sum: '' })">Add a sum</button>
          <button
            class="btn main"
            :disabled="keep.isPending.value || (body.records === null && !Object.keys(body.sums).length)"
          >
            Compare with these
          </button>
          <button
            v-if="data.totals.some((total) => total.source === TYPED)"
            type="button"
            class="link"
            @click="keep.mutate(false)"
          >
            Use those delivered with it
          </button>
        </p>
      </form>
      <StateNote :error="keep.error.value ?? treat.error.value" />
    </template>
  </div>
</template>

<style scoped>
.compared {
  max-width: 860px;
}
.wrong td {
  font-weight: 650;
}
.wrong .soft {
  font-weight: 400;
}
.compared {
  margin-top: 6px;
}
form {
  display: grid;
  grid-template-columns: 220px 200px;
  gap: 4px 14px;
  align-items: baseline;
  max-width: 640px;
}
form h2,
.acts {
  grid-column: 1 / 3;
}
label {
  color: var(--soft);
}
.pair {
  display: flex;
  gap: 8px;
  align-items: baseline;
}
.pair label {
  white-space: nowrap;
}
.acts {
  display: flex;
  gap: 12px;
  align-items: baseline;
  margin-top: 8px;
}
</style>
