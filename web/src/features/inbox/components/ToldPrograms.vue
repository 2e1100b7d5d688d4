<script setup lang="ts">
/** Programs that are told of what waits, by signed calls to their address; for administrators. */
import { api, unwrap } from '@/api/client'
import { count, day, StateNote } from '@/shared'
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { ref } from 'vue'

const queries = useQueryClient()
const { data, error } = useQuery({
  queryKey: ['webhooks'],
  queryFn: () => unwrap(api.GET('/api/webhooks')),
})
const address = ref('')
const wrong = ref('')
const onSuccess = () => queries.invalidateQueries({ queryKey: ['webhooks'] })
const make = useMutation({
  mutationFn: (to: string) => unwrap(api.POST('/api/webhooks', { body: { address: to } })),
  onSuccess: () => ((address.value = ''), onSuccess()),
})
const drop = useMutation({
  mutationFn: (webhook_id: number) =>
    unwrap(api.DELETE('/api/webhooks/{webhook_id}', { params: { path: { webhook_id } } })),
  onSuccess,
})
function submit(): void {
  const to = address.value.trim()
  wrong.value = /^https?:\/\/[^\s/]+/.test(to)
    ? ''
    : `“${to}” is no address such as https://example.org/told.`
  if (!wrong.value) make.mutate(to)
}
</script>

<template>
  <section aria-labelledby="told-heading">
    <h2 id="told-heading">Programs that are told</h2>
    <p class="soft">
      Each is called at its address when something new waits; calls are signed with a secret, and repeated
      until they arrive or are given up.
    </p>
    <table v-if="data?.length" class="lines">
      <thead>
        <tr>
          <th>Address</th>
          <th>Since</th>
          <th class="num">Arrived</th>
          <th class="num">On the way</th>
          <th class="num">Given up</th>
          <th>Why the last try failed</th>
          <th><span class="hidden-label">Drop</span></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="each in data" :key="each.id">
          <td class="mono address">{{ each.address }}</td>
          <td class="mono">{{ day(each.made) }}</td>
          <td class="num">{{ count(each.arrived) }}</td>
          <td class="num">{{ count(each.waits) }}</td>
          <td class="num">{{ count(each.given_up) }}</td>
          <td>{{ each.said }}</td>
          <td class="num">
            <button type="button" class="link" @click="drop.mutate(each.id)">
              Tell it no more<span class="hidden-label">: {{ each.address }}</span>
            </button>
          </td>
        </tr>
      </tbody>
    </table>
    <p v-if="make.data.value" class="new" role="status">
      The secret of {{ make.data.value.address }}, shown only once:
      <code class="mono">{{ make.data.value.secret }}</code>
    </p>
    <form novalidate @submit.prevent="submit">
      <label for="told-address">Tell</label>
      <input
        id="told-address"
        v-model="address"
        class="field"
        maxlength="1000"
        placeholder="https://example.org/told"
      />
      <button class="btn" :disabled="!address.trim() || make.isPending.value">Tell it</button>
    </form>
    <p v-if="wrong" role="alert">{{ wrong }}</p>
    <StateNote :error="error ?? make.error.value ?? drop.error.value" />
  </section>
</template>

<style scoped>
form {
  display: flex;
  gap: 12px;
  align-items: baseline;
  margin-top: 8px;
}
.field {
  width: 330px;
}
.address,
code {
  overflow-wrap: anywhere;
}
.new {
  margin: 8px 0;
  border-left: 3px solid var(--press);
  padding: 2px 12px;
}
</style>
