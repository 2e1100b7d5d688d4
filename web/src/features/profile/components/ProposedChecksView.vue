<script setup lang="ts">
/** Checks that hold what this profile saw, so that no later delivery leaves it unnoticed. */
import { api, unwrap } from '@/api/client'
import { usePerson } from '@/features/session'
import { count, plural, SentenceText, StateNote } from '@/shared'
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'
import { useTable } from '../logic/lookedAt'

const props = defineProps<{ id: number }>()
const { mayWork } = usePerson()
const queries = useQueryClient()
const path = computed(() => ({ path: { delivery_id: props.id } }))
const table = useTable()
const { data, error, isLoading } = useQuery({
  queryKey: ['proposed-checks', computed(() => props.id), table],
  queryFn: () =>
    unwrap(
      api.GET('/api/deliveries/{delivery_id}/proposed-checks', {
        params: { ...path.value, query: { table: table.value } },
      }),
    ),
})
const find = ref('')
const kind = ref('')
const kinds = computed(() => [...new Set((data.value ?? []).map((item) => item.kind))].sort())
const shown = computed(() =>
  (data.value ?? []).filter(
    (item) =>
      item.column.toLowerCase().includes(find.value.toLowerCase()) &&
      (!kind.value || item.kind === kind.value),
  ),
)
const chosen = ref(new Set<string>())
watch(table, () => (chosen.value = new Set()))
const free = computed(() => shown.value.filter((item) => !item.present))
const every = computed(() => free.value.length > 0 && free.value.every((item) => chosen.value.has(item.id)))
function choose(ids: string[], on: boolean): void {
  const next = new Set(chosen.value)
  for (const id of ids) {
    if (on) next.add(id)
    else next.delete(id)
  }
  chosen.value = next
}
const accept = useMutation({
  mutationFn: () =>
    unwrap(
      api.POST('/api/deliveries/{delivery_id}/proposed-checks', {
        params: path.value,
        body: {
          ids: (data.value ?? []).map((item) => item.id).filter((id) => chosen.value.has(id)),
          table: table.value,
        },
      }),
    ),
  onSuccess: async () => {
    chosen.value = new Set()
    await Promise.all(
      [['proposed-checks'], ['rulebook'], ['delivery', props.id]].map((queryKey) =>
        queries.invalidateQueries({ queryKey }),
      ),
    )
  },
})
const checked = (event: Event) => (event.target as HTMLInputElement).checked
</script>

<template>
  <section class="register" tabindex="0" aria-label="Proposed checks">
    <div class="tools">
      <label class="hidden-label" for="find-bound">Find a column</label>
      <input id="find-bound" v-model="find" class="field find" placeholder="Find a column" />
      <label class="hidden-label" for="kind-bound">Kind</label>
      <select id="kind-bound" v-model="kind" class="field pick">
        <option value="">every kind</option>
        <option v-for="eachKind in kinds" :key="eachKind">{{ eachKind }}</option>
      </select>
      <label class="all"
        ><input
          type="checkbox"
          :checked="every"
          @change="
            choose(
              free.map((check) => check.id),
              checked($event),
            )
          "
        />
        all {{ count(free.length) }}</label
      >
      <button
        v-if="mayWork"
        type="button"
        class="btn main"
        :disabled="!chosen.size || accept.isPending.value"
        @click="accept.mutate()"
      >
        Put {{ plural(chosen.size, 'check') }} into the rulebook
      </button>
      <span v-if="accept.isSuccess.value && !chosen.size" class="soft" role="status"
        >They are rules now; Rules shows their effect.</span
      >
    </div>
    <p class="soft about">
      What this delivery keeps to, as checks: a record of a later delivery that is outside these limits is
      quarantined. Columns with values that do not fit, or with findings of weight, are to be corrected first:
      of their values nothing is proposed.
    </p>
    <StateNote :loading="isLoading" :error="error ?? accept.error.value" />
    <StateNote
      v-if="data && !shown.length"
      empty="No check can be proposed here: too few values, or no limits that hold."
    />
    <table v-if="shown.length" class="lines">
      <thead>
        <tr>
          <th></th>
          <th>Check</th>
          <th class="rests">Based on</th>
          <th></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="item in shown" :key="item.id">
          <td class="box">
            <input
              type="checkbox"
              :checked="chosen.has(item.id)"
              :disabled="item.present || !mayWork"
              :aria-label="item.sentence.map((part) => part.text).join('')"
              @change="choose([item.id], checked($event))"
            />
          </td>
          <td><SentenceText :parts="item.sentence" /></td>
          <td class="soft">{{ item.rests_on }}</td>
          <td class="soft there">{{ item.present ? 'in the rulebook' : '' }}</td>
        </tr>
      </tbody>
    </table>
  </section>
</template>

<style scoped>
.find {
  width: 120px;
}
.pick {
  width: auto;
  font-family: var(--sans);
}
.all {
  display: flex;
  gap: 5px;
  align-items: center;
}
.about {
  max-width: 760px;
  padding-bottom: 8px;
}
.rests {
  width: 34%;
}
.box {
  width: 24px;
}
.there {
  padding-right: 16px !important;
  white-space: nowrap;
}
</style>
