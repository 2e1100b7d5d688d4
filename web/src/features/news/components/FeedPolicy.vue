<script setup lang="ts">
/** How a feed runs itself: the policy in sentences, tried over the deliveries so far before it is kept. */
import { api, unwrap, type Schemas } from '@/api/client'
import { usePerson } from '@/features/session'
import { count, day, plural, StateNote } from '@/shared'
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'
import { didWhat } from '../logic/news'

const props = defineProps<{ slug: string }>()
const { mayWork, mayRelease } = usePerson()
const queries = useQueryClient()
const path = computed(() => ({ params: { path: { slug: props.slug } } }))
const { data, error, isLoading } = useQuery({
  queryKey: ['policy', () => props.slug],
  queryFn: () => unwrap(api.GET('/api/feeds/{slug}/policy', path.value)),
})
const then = ref<Schemas['PolicyIn']['then']>('nothing')
const percent = ref('5')
const least = ref('')
const most = ref('')
watch(
  () => data.value?.policy,
  (kept) => {
    if (!kept) return
    then.value = kept.then as typeof then.value
    percent.value = String(Number((100 * kept.quarantined).toPrecision(6)))
    least.value = kept.least === null ? '' : String(kept.least)
    most.value = kept.most === null ? '' : String(kept.most)
  },
  { immediate: true },
)
const number = (text: string) => (text.trim() === '' ? null : Number(text.replace(/,/g, '')))
const body = computed<Schemas['PolicyIn']>(() => ({
  then: then.value,
  quarantined: Number(percent.value) / 100,
  least: number(least.value),
  most: number(most.value),
}))
const onSuccess = () => queries.invalidateQueries({ queryKey: ['policy', props.slug] })
const keep = useMutation({
  mutationFn: () => unwrap(api.PUT('/api/feeds/{slug}/policy', { ...path.value, body: body.value })),
  onSuccess,
})
const drop = useMutation({
  mutationFn: () => unwrap(api.DELETE('/api/feeds/{slug}/policy', path.value)),
  onSuccess,
})
const past = useMutation({
  mutationFn: () => unwrap(api.POST('/api/feeds/{slug}/policy/past', { ...path.value, body: body.value })),
})
watch(body, () => past.reset())
const THEN = [
  ['nothing', 'leave the release to a person'],
  ['propose', 'propose its release'],
  ['publish', 'publish its release'],
] as const
const does = computed(
  () => ({ nothing: 'passed', propose: 'proposed', publish: 'published' })[then.value] ?? 'passed',
)
const called = computed(() => (past.data.value ?? []).filter((each) => each.reasons.length))
const done = computed(() =>
  Object.entries(data.value?.steps ?? {})
    .map(([did, times]) => `${didWhat(did)} ${times === 1 ? 'once' : `${count(times)} times`}`)
    .join(', '),
)
</script>

<template>
  <div>
    <StateNote v-if="!data" :loading="isLoading" :error="error" />
    <p v-else role="status">
      <template v-if="data.policy"
        ><b>This feed runs itself</b>
        <span class="soft"
          >, in the name of {{ data.policy.by || 'nobody' }}{{ done ? `: it ${done}` : '' }}</span
        ></template
      >
      <template v-else
        >This feed waits for a person: deliveries are read, nothing is run until somebody presses
        Run.</template
      >
    </p>
    <form v-if="mayWork" @submit.prevent="keep.mutate()">
      <p>
        Run the rulebook over each delivery as soon as it is read. Then, while nothing is new, no finding of
        high severity is untreated and the gates of a release are met,
        <label class="hidden-label" for="policy-then">Then</label>
        <select id="policy-then" v-model="then" class="field pick">
          <option
            v-for="[value, words] in THEN"
            :key="value"
            :value="value"
            :disabled="value === 'publish' && !mayRelease"
          >
            {{ words }}
          </option></select
        >.
      </p>
      <p>
        At most
        <label class="hidden-label" for="policy-quarantined">Percent of the records in quarantine</label>
        <input
          id="policy-quarantined"
          v-model="percent"
          class="field few"
          inputmode="decimal"
          required
          pattern="\d{1,2}(\.\d+)?|100"
        />
        % of the records may be quarantined; there have to be
        <label class="hidden-label" for="policy-least">Least number of records</label>
        <input
          id="policy-least"
          v-model="least"
          class="field some"
          inputmode="numeric"
          pattern="[\d,]*"
          placeholder="any"
        />
        to
        <label class="hidden-label" for="policy-most">Most records</label>
        <input
          id="policy-most"
          v-model="most"
          class="field some"
          inputmode="numeric"
          pattern="[\d,]*"
          placeholder="any"
        />
        records. Else a person is called, with the reason.
      </p>
      <p class="buttons">
        <button type="button" class="btn" :disabled="past.isPending.value" @click="past.mutate()">
          Try it over the past
        </button>
        <button class="btn main" :disabled="keep.isPending.value">
          {{ data?.policy ? 'Save changes' : 'Let it run itself' }}
        </button>
        <button v-if="data?.policy" type="button" class="link" @click="drop.mutate()">
          Wait for a person again
        </button>
      </p>
    </form>
    <StateNote
      v-if="keep.error.value ?? drop.error.value ?? past.error.value"
      :error="keep.error.value ?? drop.error.value ?? past.error.value"
    />
    <div v-if="past.data.value" role="status">
      <p v-if="past.data.value.length">
        It would have {{ does }} <b>{{ count(past.data.value.length - called.length) }}</b> of
        {{ plural(past.data.value.length, 'delivery that ran', 'deliveries that ran') }}, and called a person
        for <b>{{ count(called.length) }}</b>.
      </p>
      <p v-else class="soft">No delivery of this feed has been run yet: there is no past to try it over.</p>
      <table v-if="called.length" class="lines past">
        <tbody>
          <tr v-for="each in called" :key="each.delivery">
            <td>
              <RouterLink :to="{ name: 'new', params: { id: each.delivery } }"
                >delivery {{ each.number }}</RouterLink
              >
              <span class="soft">{{ ` ${day(each.received)}` }}</span>
            </td>
            <td>
              <span v-for="reason in each.reasons" :key="reason" class="reason">{{ reason }}</span>
            </td>
          </tr>
        </tbody>
      </table>
    </div>
  </div>
</template>

<style scoped src="../../../shared/sentence.css"></style>
<style scoped>
.past td:first-child {
  width: 170px;
  white-space: nowrap;
}
.reason {
  display: block;
}
</style>
