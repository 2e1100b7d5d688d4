<script setup lang="ts">
/** When deliveries of a feed are expected: a plan in one sentence, or the one that its arrivals follow. */
import { api, unwrap, type Schemas } from '@/api/client'
import { usePerson } from '@/features/session'
import { minute, plural, StateNote } from '@/shared'
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'
import { DAYS, planInWords } from '../logic/plan'

type Plan = Schemas['Plan']
const props = defineProps<{ slug: string }>()
const { mayWork } = usePerson()
const queries = useQueryClient()
const path = computed(() => ({ params: { path: { slug: props.slug } } }))
const key = computed(() => ['arrival-plan', props.slug])
const { data, error, isLoading } = useQuery({
  queryKey: key,
  queryFn: () => unwrap(api.GET('/api/feeds/{slug}/arrival-plan', path.value)),
})
const library = useQuery({
  queryKey: ['library'],
  queryFn: () => unwrap(api.GET('/api/library')),
  enabled: () => mayWork.value,
})
const zone = Intl.DateTimeFormat().resolvedOptions().timeZone || 'UTC'
const ZONES = ['UTC', ...Intl.supportedValuesOf('timeZone').filter((name) => name !== 'UTC')]
const EMPTY = { every: 'month' as Plan['every'], on: 1, at: '09:00', zone, tolerance: 24 }
const plan = ref({ ...EMPTY })
const holidays = ref('')
const after = ref('')
const board = useQuery({
  queryKey: ['feeds'],
  queryFn: () => unwrap(api.GET('/api/feeds')),
  enabled: () => plan.value.every === 'feed',
})
const others = computed(() => (board.data.value ?? []).filter((feed) => feed.slug !== props.slug))
const follows = computed(() => others.value.find((feed) => feed.slug === data.value?.after)?.name)
function take(from: Plan): void {
  plan.value = { ...EMPTY, ...from, at: from.at.slice(0, 5) }
}
watch(
  data,
  (told) => {
    if (!told?.plan) return
    take(told.plan)
    holidays.value = told.holidays
    after.value = told.after
  },
  { immediate: true },
)
watch(
  () => plan.value.every,
  (every) => {
    if (every === 'week' && plan.value.on > DAYS.length) plan.value.on = 1
  },
)
const onSuccess = () =>
  Promise.all([
    queries.invalidateQueries({ queryKey: key.value }),
    queries.invalidateQueries({ queryKey: ['feeds'] }),
  ])
const keep = useMutation({
  mutationFn: () =>
    unwrap(
      api.PUT('/api/feeds/{slug}/arrival-plan', {
        ...path.value,
        body: { plan: plan.value, holidays: holidays.value, after: after.value },
      }),
    ),
  onSuccess,
})
const drop = useMutation({
  mutationFn: () => unwrap(api.DELETE('/api/feeds/{slug}/arrival-plan', path.value)),
  onSuccess,
})
const stands = computed(() => {
  const at = data.value?.standing
  if (!at) return ''
  if (!at.expected) return 'All that was expected has come.'
  if (!at.is_late) return `The next is expected by ${minute(at.expected)}.`
  return `${plural(at.missing, 'delivery', 'deliveries')} missing, the first since ${minute(at.expected)}.`
})
const EVERY = [
  ['day', 'every day'],
  ['weekday', 'every day from Monday to Friday'],
  ['week', 'every week'],
  ['month', 'every month'],
  ['feed', 'after each delivery of another feed'],
] as const
</script>

<template>
  <div>
    <StateNote v-if="!data" :loading="isLoading" :error="error" />
    <p v-else role="status">
      <template v-if="data.plan"
        ><b>Expected {{ planInWords(data.plan, follows) }}</b
        ><span class="soft">{{ data.holidays ? `, but on ${data.holidays}` : '' }}. </span>
        <span :class="{ late: data.standing?.is_late }">{{ stands }}</span></template
      >
      <template v-else>Nothing is planned: no delivery is ever late.</template>
      <template v-if="data.learned && !data.plan">
        {{ ` So far they came ${planInWords(data.learned)}.` }}
        <button v-if="mayWork" type="button" class="link" @click="take(data.learned)">Take that</button>
      </template>
    </p>
    <form v-if="mayWork" @submit.prevent="keep.mutate()">
      <p>
        A delivery is expected
        <label class="hidden-label" for="arrival-every">How often</label>
        <select id="arrival-every" v-model="plan.every" class="field pick">
          <option v-for="[value, words] in EVERY" :key="value" :value="value">{{ words }}</option>
        </select>
        <template v-if="plan.every === 'week'">
          on
          <label class="hidden-label" for="arrival-day">Day of the week</label>
          <select id="arrival-day" v-model.number="plan.on" class="field pick">
            <option v-for="(day, place) in DAYS" :key="day" :value="place + 1">{{ day }}</option>
          </select>
        </template>
        <template v-if="plan.every === 'month'">
          on day
          <label class="hidden-label" for="arrival-of-month">Day of the month</label>
          <input
            id="arrival-of-month"
            v-model.number="plan.on"
            class="field few"
            type="number"
            min="1"
            max="31"
            required
          />
        </template>
        <template v-if="plan.every === 'feed'">
          ,
          <label class="hidden-label" for="arrival-after">The feed that it follows</label>
          <select id="arrival-after" v-model="after" class="field pick" required>
            <option v-for="feed in others" :key="feed.slug" :value="feed.slug">
              {{ feed.name }}
            </option></select
          >.
        </template>
        <template v-else>
          by
          <label class="hidden-label" for="arrival-at">Time of the day</label>
          <input
            id="arrival-at"
            v-model="plan.at"
            class="field few"
            pattern="([01]\d|2[0-3]):[0-5]\d"
            placeholder="hh:mm"
            required
          />
          on the clock of
          <label class="hidden-label" for="arrival-zone">Time zone</label>
          <select id="arrival-zone" v-model="plan.zone" class="field pick zone">
            <option v-for="name in ZONES" :key="name" :value="name">{{ name }}</option></select
          >.
        </template>
      </p>
      <p>
        It is late
        <label class="hidden-label" for="arrival-tolerance">Hours of tolerance</label>
        <input
          id="arrival-tolerance"
          v-model.number="plan.tolerance"
          class="field few"
          type="number"
          min="0"
          max="744"
          required
        />
        hours after that.
        <template v-if="plan.every !== 'feed'">
          Nothing comes on the days of
          <label class="hidden-label" for="arrival-holidays">Code list of holidays</label>
          <select id="arrival-holidays" v-model="holidays" class="field pick">
            <option value="">no code list</option>
            <option v-for="list in library.data.value?.code_lists ?? []" :key="list.name" :value="list.name">
              {{ list.name }}
            </option></select
          >.
        </template>
      </p>
      <p class="buttons">
        <button class="btn" :disabled="keep.isPending.value">
          {{ data?.plan ? 'Save changes' : 'Save plan' }}
        </button>
        <button v-if="data?.plan" type="button" class="link" @click="drop.mutate()">Drop the plan</button>
      </p>
    </form>
    <StateNote v-if="keep.error.value ?? drop.error.value" :error="keep.error.value ?? drop.error.value" />
  </div>
</template>

<style scoped src="../../../shared/sentence.css"></style>
<style scoped>
.zone {
  max-width: 150px;
}
#arrival-every {
  max-width: 190px;
}
.late {
  font-weight: 650;
}
</style>
