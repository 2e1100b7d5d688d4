<script setup lang="ts">
/** One record: original and current values; what is typed is tried against all checks as one types. */
import { api, unwrap, type Schemas } from '@/api/client'
import { count, DataValue, StateNote } from '@/shared'
import { useQuery } from '@tanstack/vue-query'
import { useUnsaved } from '@/app/unsaved'
import { refDebounced } from '@vueuse/core'
import { computed, ref } from 'vue'

const props = defineProps<{
  delivery: number
  record: Schemas['LifeOut']
  mayDecide: boolean
  busy: boolean
}>()
const emit = defineEmits<{ amend: [values: Record<string, string | null>, apply: boolean] }>()
const current = computed(() => new Map(props.record.cells.map((cell) => [cell.name, cell.current])))
const typed = ref<Record<string, string>>({})
const values = computed(() =>
  Object.fromEntries(
    Object.entries(typed.value)
      .filter(([name, value]) => value !== (current.value.get(name) ?? ''))
      .map(([name, value]) => [name, value === '' ? null : value]),
  ),
)
const any = computed(() => Object.keys(values.value).length > 0)
useUnsaved({
  what: () => `Record ${props.record.record}`,
  dirty: () => any.value && props.mayDecide && !props.busy,
})
const tried = refDebounced(values, 250)
const same = (a: object, b: object) => JSON.stringify(a) === JSON.stringify(b)
const retry = useQuery({
  queryKey: ['retry', computed(() => [props.delivery, props.record.record]), tried],
  queryFn: ({ signal }) =>
    unwrap(
      api.POST('/api/deliveries/{delivery_id}/quarantine/{record}/retry', {
        params: { path: { delivery_id: props.delivery, record: props.record.record } },
        body: { values: tried.value },
        signal,
      }),
    ),
  enabled: () => Object.keys(tried.value).length > 0,
})
const fresh = computed(
  () => any.value && same(tried.value, values.value) && retry.data.value && !retry.isFetching.value,
)
const reasons = computed(() =>
  fresh.value ? (retry.data.value?.reasons ?? []) : any.value ? [] : props.record.reasons,
)
const passes = computed(() => fresh.value && retry.data.value?.state !== 'quarantined')
const wrong = (name: string) => reasons.value.some((reason) => reason.name.split(', ').includes(name))
// what is wrong comes first, the rest in table order
const firstWrong = computed(() => {
  const bad = new Set(props.record.reasons.flatMap((reason) => reason.name.split(', ')))
  const { cells } = props.record
  return [...cells.filter((cell) => bad.has(cell.name)), ...cells.filter((cell) => !bad.has(cell.name))]
})
function keep(apply = true): void {
  if (any.value && !props.busy) emit('amend', values.value, apply)
}
</script>

<template>
  <form class="amend" @submit.prevent="keep()">
    <h2>
      Record {{ count(record.record) }}
      <RouterLink
        class="door"
        :to="{ name: 'record', params: { id: String(delivery), record: String(record.record) } }"
        >All about it</RouterLink
      >
    </h2>
    <div class="verdict" role="status">
      <template v-if="any">
        <span v-if="!fresh && !retry.error.value" class="soft">trying the checks …</span>
        <b v-else-if="passes">It would be ready.</b>
      </template>
      <p v-for="(reason, i) in reasons" :key="i">
        <em>{{ reason.name }}</em> <DataValue :value="reason.value" /> {{ reason.phrase }}
      </p>
    </div>
    <StateNote :error="any ? retry.error.value : undefined" />
    <table class="lines">
      <thead>
        <tr>
          <th>Column</th>
          <th>Delivered</th>
          <th>Now</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="{ name, original, current: now } in firstWrong" :key="name">
          <td class="mono name" :title="name">{{ name }}</td>
          <td class="was" :title="original ?? ''">
            <DataValue v-if="(original || null) !== now" :value="original" was />
          </td>
          <td>
            <input
              v-if="mayDecide"
              class="field"
              :class="{ wrong: wrong(name) }"
              :aria-label="name"
              :aria-invalid="wrong(name)"
              :value="typed[name] ?? now ?? ''"
              :placeholder="'missing'"
              @input="typed = { ...typed, [name]: ($event.target as HTMLInputElement).value }"
            />
            <DataValue v-else :value="now" />
          </td>
        </tr>
      </tbody>
    </table>
    <div v-if="mayDecide" class="acts">
      <button class="btn main" :disabled="!any || busy">Amend</button>
      <button
        v-if="any"
        type="button"
        class="btn"
        :disabled="busy"
        title="Keep it now; it is applied with the next run"
        @click="keep(false)"
      >
        Apply later
      </button>
      <button v-if="any" type="button" class="btn" @click="typed = {}">Discard changes</button>
    </div>
  </form>
</template>

<style scoped>
h2 {
  display: flex;
  align-items: baseline;
  justify-content: space-between;
  font-size: 15px;
  font-weight: 650;
}
.door {
  font-size: 13px;
  font-weight: 400;
}
.verdict {
  min-height: 42px;
  padding: 4px 0 8px;
}
em {
  font: 550 12.5px var(--mono);
}
.lines td {
  padding: 2px 8px 2px 0;
}
.name {
  max-width: 118px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.was {
  max-width: 100px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.field {
  border-bottom-color: var(--hair);
}
.field.wrong {
  border-bottom: 2px solid var(--quarantined);
}
.acts {
  display: flex;
  gap: 8px;
  margin-top: 10px;
}
</style>
