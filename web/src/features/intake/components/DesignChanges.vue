<script setup lang="ts">
/** What differs from the agreed columns: settled one by one or all together, then the delivery can run. */
import { api, unwrap, type Schemas } from '@/api/client'
import { useDelivery } from '@/features/delivery'
import { usePerson } from '@/features/session'
import { plural, StateNote } from '@/shared'
import { useMutation, useQueryClient } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'
import { changeWords } from '../logic/matching'

const props = defineProps<{ design: Schemas['DesignOut'] }>()
const { id, refresh } = useDelivery()
const { mayWork } = usePerson()
const queries = useQueryClient()
const choices = ref<Record<number, { choice: string; target: string }>>({})
watch(
  () => props.design.changes,
  (changes) => {
    choices.value = Object.fromEntries(
      changes.map((change) => [
        change.id,
        { choice: change.choice || (change.choices[0] ?? ''), target: change.target || change.column },
      ]),
    )
  },
  { immediate: true },
)
const open = computed(() => props.design.changes.filter((change) => !change.choice))
const settled = computed(() => props.design.changes.filter((change) => change.choice))
const FILLS = 'it is the column'
const settle = useMutation({
  mutationFn: (changes: Schemas['ChangeOut'][]) =>
    unwrap(
      api.POST('/api/deliveries/{delivery_id}/design', {
        params: { path: { delivery_id: id.value } },
        body: {
          choices: changes.map((eachChange) => ({
            change: eachChange.id,
            choice: choices.value[eachChange.id]?.choice ?? '',
            target:
              choices.value[eachChange.id]?.choice === FILLS
                ? (choices.value[eachChange.id]?.target ?? '')
                : '',
          })),
        },
      }),
    ),
  onSuccess: async () => {
    await refresh()
    await queries.invalidateQueries({ queryKey: ['design', id.value] })
  },
})
</script>

<template>
  <section v-if="design.changes.length" class="changes">
    <h2>
      Design changes
      <span class="soft">{{
        open.length ? `${open.length} to settle before rules run` : 'all are settled'
      }}</span>
    </h2>
    <table class="lines">
      <tbody>
        <tr v-for="item in [...open, ...settled]" :key="item.id" :class="{ done: item.choice }">
          <td class="words">
            <b>{{ changeWords(item) }}</b>
            <span class="soft">{{ item.evidence }}</span>
          </td>
          <template v-if="!item.choice && choices[item.id]">
            <td class="choice">
              <label class="hidden-label" :for="`choice-${item.id}`">How {{ item.name }} is settled</label>
              <select
                :id="`choice-${item.id}`"
                v-model="choices[item.id]!.choice"
                class="field"
                :disabled="!mayWork"
              >
                <option v-for="choice in item.choices" :key="choice">{{ choice }}</option>
              </select>
            </td>
            <td class="target">
              <template v-if="choices[item.id]!.choice === FILLS">
                <label class="hidden-label" :for="`target-${item.id}`">Which column {{ item.name }} is</label>
                <select
                  :id="`target-${item.id}`"
                  v-model="choices[item.id]!.target"
                  class="field"
                  :disabled="!mayWork"
                >
                  <option v-for="name in design.agreed.length ? design.agreed : design.columns" :key="name">
                    {{ name }}
                  </option>
                </select>
              </template>
            </td>
            <td class="num">
              <button
                v-if="mayWork"
                type="button"
                class="link act"
                :disabled="settle.isPending.value"
                @click="settle.mutate([item])"
              >
                Settle
              </button>
            </td>
          </template>
          <template v-else>
            <td class="choice soft" colspan="3">
              {{ item.choice }} <span class="mono">{{ item.target }}</span>
            </td>
          </template>
        </tr>
      </tbody>
    </table>
    <p v-if="open.length && mayWork" class="acts">
      <button type="button" class="btn main" :disabled="settle.isPending.value" @click="settle.mutate(open)">
        Settle {{ open.length === 1 ? 'it' : `all ${plural(open.length, 'change')}` }} as chosen
      </button>
      <span class="soft">The feed remembers it: the same layout is not asked again.</span>
    </p>
    <StateNote :error="settle.error.value" />
  </section>
</template>

<style scoped>
h2 {
  padding: 9px 0 4px;
  font-size: 13px;
  font-weight: 650;
}
h2 span {
  font-weight: 400;
}
.words b {
  display: block;
  font-weight: 650;
}
.words span {
  font-size: 12px;
}
.done b {
  color: var(--soft);
  font-weight: 400;
}
.choice {
  width: 220px;
}
.target {
  width: 190px;
}
.act {
  font: 13px var(--sans);
}
.acts {
  display: flex;
  gap: 14px;
  align-items: baseline;
  margin: 9px 0 4px;
}
</style>
