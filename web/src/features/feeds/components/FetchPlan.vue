<script setup lang="ts">
/** Where deliveries of a feed are fetched from, how often, and how the last time went. */
import { api, unwrap, type Schemas } from '@/api/client'
import { usePerson } from '@/features/session'
import { minute, StateNote } from '@/shared'
import { useMutation, useQueryClient } from '@tanstack/vue-query'
import { ref, watch } from 'vue'

const props = defineProps<{ slug: string; plan: Schemas['PlanOut'] | null }>()
const { mayWork } = usePerson()
const queries = useQueryClient()
const EMPTY = { kind: 'page' as 'page' | 'database', address: '', query: '', password: '', minutes: 0 }
const body = ref({ ...EMPTY })
watch(
  () => props.plan,
  (plan) => {
    body.value = plan
      ? {
          ...EMPTY,
          kind: plan.kind as 'page' | 'database',
          address: plan.address,
          query: plan.query,
          minutes: plan.minutes,
        }
      : { ...EMPTY }
  },
  { immediate: true },
)
const path = () => ({ params: { path: { slug: props.slug } } })
const onSuccess = () => queries.invalidateQueries({ queryKey: ['ways', props.slug] })
const keep = useMutation({
  mutationFn: () => unwrap(api.PUT('/api/feeds/{slug}/fetch-plan', { ...path(), body: body.value })),
  onSuccess,
})
const drop = useMutation({
  mutationFn: () => unwrap(api.DELETE('/api/feeds/{slug}/fetch-plan', path())),
  onSuccess,
})
const fetchNow = useMutation({
  mutationFn: () => unwrap(api.POST('/api/feeds/{slug}/fetch', path())),
  onSuccess,
})
const OFTEN: [number, string][] = [
  [0, 'only when asked'],
  [15, 'every quarter of an hour'],
  [60, 'every hour'],
  [1440, 'every day'],
  [10080, 'every week'],
]
</script>

<template>
  <div>
    <p v-if="plan" class="now">
      <span :class="{ failed: plan.last_failed }" role="status">{{
        plan.last_at ? `${minute(plan.last_at)}: ${plan.last_said}` : 'not fetched yet'
      }}</span>
      <span v-if="plan.due" class="soft">next {{ minute(plan.due) }}</span>
      <button
        v-if="mayWork"
        type="button"
        class="btn"
        :disabled="fetchNow.isPending.value"
        @click="fetchNow.mutate()"
      >
        Fetch now
      </button>
      <button v-if="mayWork" type="button" class="link" @click="drop.mutate()">Stop fetching</button>
    </p>
    <form v-if="mayWork" @submit.prevent="keep.mutate()">
      <label for="plan-kind">From</label>
      <select id="plan-kind" v-model="body.kind" class="field">
        <option value="page">a page or file on the web</option>
        <option value="database">a PostgreSQL database</option>
      </select>
      <label for="plan-address">Address</label>
      <input
        id="plan-address"
        v-model="body.address"
        class="field"
        required
        :placeholder="body.kind === 'page' ? 'http://…' : 'postgresql://user@host:port/database'"
      />
      <template v-if="body.kind === 'database'">
        <label for="plan-query">Table or query</label>
        <textarea
          id="plan-query"
          v-model="body.query"
          class="field"
          rows="2"
          placeholder="schema.table, or SELECT …"
        ></textarea>
        <label for="plan-password">Password</label>
        <input
          id="plan-password"
          v-model="body.password"
          class="field"
          type="password"
          autocomplete="off"
          :placeholder="plan?.has_password ? 'unchanged' : ''"
        />
      </template>
      <label for="plan-often">How often</label>
      <select id="plan-often" v-model.number="body.minutes" class="field">
        <option v-for="[minutes, words] in OFTEN" :key="minutes" :value="minutes">{{ words }}</option>
      </select>
      <span></span>
      <button class="btn keep" :disabled="keep.isPending.value || !body.address">
        {{ plan ? 'Save changes' : 'Save' }}
      </button>
    </form>
    <StateNote :error="keep.error.value ?? drop.error.value ?? fetchNow.error.value" />
  </div>
</template>

<style scoped>
form {
  display: grid;
  grid-template-columns: 120px minmax(0, 420px);
  gap: 4px 12px;
  align-items: baseline;
}
label {
  color: var(--soft);
}
.keep {
  justify-self: start;
  margin-top: 6px;
}
.now {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 16px;
  align-items: baseline;
  margin-bottom: 8px;
}
.failed {
  font-weight: 650;
}
</style>
