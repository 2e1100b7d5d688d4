<script setup lang="ts">
/** A one-time address: choose a password; the first administrator chooses a name as well. */
import { api, unwrap } from '@/api/client'
import { StateNote } from '@/shared'
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import EntryForm from '../components/EntryForm.vue'

const route = useRoute()
const router = useRouter()
const queries = useQueryClient()
const path = computed(() => ({ path: { text: String(route.params.text) } }))
const { data, error, isLoading } = useQuery({
  queryKey: ['invitation', path],
  queryFn: () => unwrap(api.GET('/api/invitations/{text}', { params: path.value })),
  retry: false,
})
const username = ref('')
const name = ref('')
const password = ref('')
const again = ref('')
const isFirst = computed(() => data.value?.purpose === 'first')
const differ = computed(() => again.value !== '' && again.value !== password.value)

const join = useMutation({
  mutationFn: async () => {
    const body = { username: username.value, name: name.value, password: password.value }
    const person = await unwrap(api.POST('/api/invitations/{text}', { params: path.value, body }))
    const signIn = { username: person.username, password: password.value }
    queries.setQueryData(['session'], await unwrap(api.POST('/api/session', { body: signIn })))
    await router.replace(isFirst.value ? '/people' : '/')
  },
})
</script>

<template>
  <EntryForm @submit="join.mutate()">
    <StateNote :loading="isLoading" :error="error" />
    <template v-if="data">
      <p class="soft">
        {{
          isFirst
            ? 'You become the first administrator: you add the others.'
            : `Choose a password, ${data.name}. You sign in as ${data.username}.`
        }}
      </p>
      <template v-if="isFirst">
        <label for="join-username">Name to sign in with</label>
        <input id="join-username" v-model="username" class="field" autocomplete="username" required />
        <label for="join-name">Name as colleagues see it</label>
        <input id="join-name" v-model="name" class="field" autocomplete="name" />
      </template>
      <label for="join-password">Password</label>
      <input
        id="join-password"
        v-model="password"
        class="field"
        type="password"
        autocomplete="new-password"
        required
      />
      <label for="join-again">Repeat the password</label>
      <input
        id="join-again"
        v-model="again"
        class="field"
        type="password"
        autocomplete="new-password"
        required
      />
      <p v-if="differ" class="soft" role="status">The passwords differ.</p>
      <button class="btn main" :disabled="join.isPending.value || !again || differ">Sign in</button>
      <StateNote :error="join.error.value" />
    </template>
  </EntryForm>
</template>
