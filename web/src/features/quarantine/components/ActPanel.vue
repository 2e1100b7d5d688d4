<script setup lang="ts">
/** Decide on records, one or many: what to do, what it takes, and what it would do. */
import { api, unwrap, type Schemas } from '@/api/client'
import { count, DataValue, plural, StateNote } from '@/shared'
import { useMutation } from '@tanstack/vue-query'
import { computed, ref, useId, useTemplateRef, watch } from 'vue'
import { putForSupplier } from '../logic/answer'
import { type amendmentOf } from '../logic/amendment'
import { about, sizeOf, type About } from '../logic/chosen'
import AmendBy from './AmendBy.vue'

const props = defineProps<{
  delivery: number
  run: number | null
  which: About
  columns: string[]
  people: Schemas['OwnerCount'][]
  first?: string
  feedKey: string[]
  isMany: boolean
}>()
const emit = defineEmits<{ decided: [] }>()
type Kind = Schemas['ActIn']['kind']
const own = useId()
const KINDS: { kind: Kind; label: string; button: string }[] = [
  { kind: 'amend', label: 'Amend', button: 'Amend' },
  { kind: 'accept', label: 'Accept as exception', button: 'Accept' },
  { kind: 'discard', label: 'Discard', button: 'Discard' },
  { kind: 'wait', label: 'Let wait', button: 'Let wait' },
  { kind: 'return', label: 'Return to supplier', button: 'Return' },
  { kind: 'assign', label: 'Assign', button: 'Assign' },
  { kind: 'comment', label: 'Comment', button: 'Comment on' },
]
const kinds = computed(() => KINDS.filter((each) => props.isMany || each.kind !== 'amend'))
const kind = ref<Kind>(props.isMany ? 'amend' : 'accept')
watch(
  () => props.isMany,
  (many) => (kind.value = many ? 'amend' : 'accept'),
)
const column = ref(props.first ?? '')
const amendment = ref<ReturnType<typeof amendmentOf>>()
const amendBy = useTemplateRef('amendBy')
const why = ref('')
const COMMON = [
  'Confirmed by the supplier',
  'Known event',
  'Rule does not apply here',
  'Recorded twice',
  'Test record',
]
const until = ref('')
const owner = ref('')
const later = ref(false)
const toSend = ref(true)
const size = computed(() => sizeOf(props.which))
const changes = computed(() => ['amend', 'accept', 'discard'].includes(kind.value))
const body = computed<Schemas['ActIn']>(() => ({
  ...(about(props.which, props.run) as Schemas['ActIn']),
  kind: kind.value,
  ...(kind.value === 'amend' ? amendment.value : {}),
  ...(['accept', 'discard', 'comment', 'wait'].includes(kind.value) ? { justification: why.value } : {}),
  ...(['accept', 'wait', 'return'].includes(kind.value) && until.value ? { until: until.value } : {}),
  ...(kind.value === 'accept' && later.value ? { later: true } : {}),
  ...(kind.value === 'assign' && owner.value ? { owner: Number(owner.value) } : {}),
}))
const lacks = computed(() => {
  if (kind.value === 'amend') return !amendment.value
  if (kind.value === 'wait') return !until.value
  if (kind.value === 'assign' || kind.value === 'return') return false
  return !why.value.trim()
})
const path = computed(() => ({ path: { delivery_id: props.delivery } }))
const tried = useMutation({
  mutationFn: (asked: Schemas['ActIn']) =>
    unwrap(api.POST('/api/deliveries/{delivery_id}/decisions/preview', { params: path.value, body: asked })),
})
const asked = computed(() => JSON.stringify(body.value))
const triedFor = ref('')
watch(asked, () => tried.reset())
function tryIt(): void {
  triedFor.value = asked.value
  tried.mutate(body.value)
}
const would = computed(() => (triedFor.value === asked.value ? tried.data.value : undefined))
const ready = computed(() => (would.value?.states.ready ?? 0) + (would.value?.states.corrected ?? 0))
/** The files about returned records go where their suppliers find them; where that fails, the list offers it again. */
const send = useMutation({
  mutationFn: (decision: number) => unwrap(putForSupplier(props.delivery, decision)),
  onSettled: () => emit('decided'),
})
const decide = useMutation({
  mutationFn: (apply: boolean) =>
    unwrap(
      api.POST('/api/deliveries/{delivery_id}/decisions', {
        params: path.value,
        body: { ...body.value, apply },
      }),
    ),
  onSuccess: ({ decision }) => {
    if (kind.value === 'return' && toSend.value) return send.mutate(decision)
    why.value = ''
    amendBy.value?.clear()
    tried.reset()
    emit('decided')
  },
})
const button = computed(() => {
  const act = KINDS.find((each) => each.kind === kind.value)!
  const what = kind.value === 'amend' ? `${column.value} of ` : ''
  return `${act.button} ${what}${count(size.value)}`
})
const today = new Date().toISOString().slice(0, 10)
</script>

<template>
  <form class="act" :aria-label="`Decide on ${plural(size, 'record')}`" @submit.prevent="decide.mutate(true)">
    <div class="kinds" role="radiogroup" aria-label="What to do">
      <label v-for="each in kinds" :key="each.kind" :class="{ on: kind === each.kind }"
        ><input v-model="kind" type="radio" :name="own" :value="each.kind" />{{ each.label }}</label
      >
    </div>
    <template v-if="kind === 'amend'">
      <AmendBy
        ref="amendBy"
        v-model="amendment"
        v-model:column="column"
        :delivery="delivery"
        :columns="columns"
        :first="first"
        :feed-key="feedKey"
      />
    </template>
    <template v-else-if="kind === 'assign'">
      <label :for="`${own}o`">Owner</label>
      <select :id="`${own}o`" v-model="owner" class="field">
        <option value="">nobody</option>
        <option v-for="person in people" :key="person.owner" :value="String(person.owner)">
          {{ person.name }}
        </option>
      </select>
    </template>
    <template v-if="['accept', 'discard', 'comment', 'wait'].includes(kind)">
      <label :for="`${own}w`">{{
        kind === 'comment' ? 'Comment' : kind === 'wait' ? 'For what' : 'Why'
      }}</label>
      <input :id="`${own}w`" v-model="why" class="field" :list="`${own}l`" maxlength="2000" />
      <datalist :id="`${own}l`">
        <option
          v-for="words in kind === 'comment' || kind === 'wait' ? [] : COMMON"
          :key="words"
          :value="words"
        />
      </datalist>
    </template>
    <p v-if="kind === 'return'" class="soft">
      A file for each source is made: the records with their reasons, and an empty cell for each that is
      complained of. What comes back is looked at above the list before it is applied.
    </p>
    <label v-if="kind === 'return'" class="later"
      ><input v-model="toSend" type="checkbox" /> put it where the supplier finds it</label
    >
    <template v-if="kind === 'accept' || kind === 'wait' || kind === 'return'">
      <label :for="`${own}u`">{{
        kind === 'accept' ? 'Until (empty: for good)' : kind === 'wait' ? 'Until' : 'Answer until'
      }}</label>
      <input :id="`${own}u`" v-model="until" class="field day" type="date" :min="today" />
    </template>
    <label v-if="kind === 'accept' && feedKey.length" class="later"
      ><input v-model="later" type="checkbox" /> also in later deliveries, for the same
      <em>{{ feedKey.join(', ') }}</em> wrong in the same way</label
    >
    <p v-if="kind === 'amend' && column" class="instead">
      <RouterLink :to="{ name: 'rules', params: { id: String(delivery) }, query: { add: column } }"
        >Make a rule of it instead</RouterLink
      >
    </p>
    <div class="acts">
      <button class="btn main" :disabled="lacks || decide.isPending.value">{{ button }}</button>
      <button
        v-if="changes"
        type="button"
        class="btn"
        :disabled="lacks || decide.isPending.value"
        title="Keep it now; it is applied with the next run"
        @click="decide.mutate(false)"
      >
        Apply later
      </button>
      <button
        v-if="changes"
        type="button"
        class="btn"
        :disabled="lacks || tried.isPending.value"
        @click="tryIt"
      >
        Try it
      </button>
    </div>
    <StateNote
      :loading="tried.isPending.value"
      :error="decide.error.value ?? send.error.value ?? tried.error.value"
    />
    <div v-if="would" class="would" role="status">
      <p>
        Of {{ plural(would.records, 'record') }} <b>{{ count(ready) }}</b> would be ready,
        <b>{{ count(would.states.quarantined ?? 0) }}</b> still quarantined<template
          v-if="would.states.removed"
          >, <b>{{ count(would.states.removed) }}</b> removed</template
        >.
      </p>
      <table class="lines">
        <thead>
          <tr>
            <th class="num">Record</th>
            <th>Change</th>
            <th>Then</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="row in would.examples" :key="row.record">
            <td class="num">{{ count(row.record) }}</td>
            <td>
              <span v-for="change in row.changes" :key="change.name" class="change"
                ><em>{{ change.name }}</em> <DataValue :value="change.before" was /> →
                <DataValue :value="change.after"
              /></span>
            </td>
            <td>
              <span v-if="row.state !== 'quarantined'" class="soft">{{
                row.state === 'removed' ? 'removed' : 'ready'
              }}</span>
              <span v-for="(reason, i) in row.reasons" v-else :key="i" class="change"
                ><em>{{ reason.name }}</em> <DataValue :value="reason.value" /> {{ reason.phrase }}</span
              >
            </td>
          </tr>
        </tbody>
      </table>
    </div>
  </form>
</template>

<style scoped>
.act > label {
  display: block;
  margin-top: 8px;
  color: var(--soft);
}
.kinds {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 12px;
  margin-top: 6px;
}
.kinds label {
  border-bottom: 2px solid transparent;
  padding: 2px 0;
  cursor: pointer;
}
.kinds label.on {
  border-bottom-color: var(--ink);
  font-weight: 600;
}
.kinds input {
  position: absolute;
  opacity: 0;
}
.kinds label:focus-within {
  outline: 2px solid var(--focus, var(--ink));
  outline-offset: 2px;
}
.field {
  width: 100%;
}
.day {
  width: 150px;
}
.act > .later {
  color: var(--ink);
}
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  margin-top: 12px;
}
.instead {
  margin-top: 8px;
}
.would {
  margin-top: 10px;
}
.change {
  display: block;
}
em {
  font: 550 12.5px var(--mono);
}
</style>
