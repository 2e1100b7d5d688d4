<script setup lang="ts">
import { api, must, signedOut } from '@/api/client'
import { StateNote } from '@/shared'
import { useQueryClient } from '@tanstack/vue-query'
import { ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import EntryForm from '../components/EntryForm.vue'

const route = useRoute()
const router = useRouter()
const queries = useQueryClient()
const username = ref('')
const password = ref('')
const busy = ref(false)
const error = ref<unknown>()

async function signIn(): Promise<void> {
  busy.value = true
  error.value = undefined
  try {
    const body = { username: username.value, password: password.value }
    queries.setQueryData(['session'], await must(api.POST('/api/session', { body })))
    signedOut.value = false
    const next = String(route.query.next ?? '/')
    await router.replace(next.startsWith('/') && !next.startsWith('//') ? next : '/')
  } catch (problem) {
    error.value = problem
  } finally {
    busy.value = false
  }
}
</script>

<template>
  <EntryForm @submit="signIn()">
    <p class="soft">Every delivered record is accounted for.</p>
    <label for="username">Name</label>
    <input id="username" v-model="username" class="field" autocomplete="username" required autofocus />
    <label for="password">Password</label>
    <input
      id="password"
      v-model="password"
      class="field"
      type="password"
      autocomplete="current-password"
      required
    />
    <button class="btn main" :disabled="busy">Sign in</button>
    <StateNote :error="error" />
  </EntryForm>
</template>
