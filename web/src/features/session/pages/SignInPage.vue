<script setup lang="ts">
import { api, must } from '@/api/client'
import { BalanceBar, StateNote } from '@/shared'
import { useQueryClient } from '@tanstack/vue-query'
import { ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'

const route = useRoute()
const router = useRouter()
const queries = useQueryClient()
const username = ref('')
const password = ref('')
const busy = ref(false)
const error = ref<unknown>()
const logo = { delivered: 100, added: 0, ready: 64, corrected: 18, quarantined: 9, removed: 6, rejected: 3 }

async function signIn(): Promise<void> {
  busy.value = true
  error.value = undefined
  try {
    const body = { username: username.value, password: password.value }
    queries.setQueryData(['session'], await must(api.POST('/api/session', { body })))
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
  <main class="page">
    <form @submit.prevent="signIn">
      <h1>Pravin</h1>
      <BalanceBar :balance="logo" :height="10" aria-hidden="true" />
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
    </form>
  </main>
</template>

<style scoped>
.page {
  display: grid;
  place-content: center;
  height: 100%;
}
form {
  display: flex;
  flex-direction: column;
  gap: 8px;
  width: 320px;
}
h1 {
  font-size: 26px;
  font-weight: 650;
}
label {
  margin-top: 10px;
  color: var(--soft);
}
.btn {
  align-self: start;
  margin-top: 14px;
}
</style>
