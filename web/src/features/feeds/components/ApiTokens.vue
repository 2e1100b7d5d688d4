<script setup lang="ts">
/** Tokens with which programs deliver for the person who is signed in. */
import { api, unwrap } from '@/api/client'
import { day, StateNote } from '@/shared'
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { ref } from 'vue'

defineProps<{ slug: string }>()
const queries = useQueryClient()
const { data, error } = useQuery({ queryKey: ['tokens'], queryFn: () => unwrap(api.GET('/api/tokens')) })
const name = ref('')
const rights = ref<'work' | 'read'>('work')
const days = ref(365)
const onSuccess = () => queries.invalidateQueries({ queryKey: ['tokens'] })
const make = useMutation({
  mutationFn: () =>
    unwrap(api.POST('/api/tokens', { body: { name: name.value, rights: rights.value, days: days.value } })),
  onSuccess: () => ((name.value = ''), onSuccess()),
})
const drop = useMutation({
  mutationFn: (token_id: number) =>
    unwrap(api.DELETE('/api/tokens/{token_id}', { params: { path: { token_id } } })),
  onSuccess,
})
const origin = location.origin
</script>

<template>
  <div>
    <p class="soft">
      A program sends files with your token:
      <code class="mono"
        >curl -H "Authorization: Bearer TOKEN" -F files=@march.csv {{ origin }}/api/feeds/{{
          slug
        }}/deliveries</code
      >
      or with <code class="mono">./pravin api</code>.
      <a :href="`${origin}/api/description`">What programs can do</a>
    </p>
    <p v-if="make.data.value" class="new" role="status">
      The token, shown only once: <code class="mono">{{ make.data.value.text }}</code>
    </p>
    <ul v-if="data?.length">
      <li v-for="token in data" :key="token.id">
        <span class="mono">{{ token.begins }}…</span> {{ token.name }}
        <span class="soft"
          >{{ token.rights === 'read' ? 'read only, ' : '' }}made {{ day(token.created) }},
          {{ token.ends ? `ends ${day(token.ends)}, ` : '' }}
          {{ token.last_used ? `last used ${day(token.last_used)}` : 'never used' }}</span
        >
        <button type="button" class="link" @click="drop.mutate(token.id)">Withdraw</button>
      </li>
    </ul>
    <form @submit.prevent="make.mutate()">
      <label for="token-name">A token for</label>
      <input id="token-name" v-model="name" class="field" placeholder="what it is for" maxlength="120" />
      <label class="hidden-label" for="token-rights">Permissions</label>
      <select id="token-rights" v-model="rights" class="field short">
        <option value="work">the same as you</option>
        <option value="read">read only</option>
      </select>
      <label class="hidden-label" for="token-days">Valid</label>
      <select id="token-days" v-model.number="days" class="field short">
        <option :value="30">for 30 days</option>
        <option :value="90">for 90 days</option>
        <option :value="365">for a year</option>
      </select>
      <button class="btn" :disabled="!name.trim() || make.isPending.value">Create token</button>
    </form>
    <StateNote :error="error ?? make.error.value ?? drop.error.value" />
  </div>
</template>

<style scoped>
form {
  display: flex;
  gap: 12px;
  align-items: baseline;
  margin-top: 8px;
}
form .field {
  width: 220px;
}
form .field.short {
  width: auto;
}
label {
  color: var(--soft);
}
code {
  overflow-wrap: anywhere;
}
ul {
  margin: 6px 0;
  padding: 0;
  list-style: none;
}
.new {
  margin: 6px 0;
  border-left: 3px solid var(--press);
  padding: 2px 12px;
}
</style>
