<script setup lang="ts">
import { StateNote } from '@/shared'
import { ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import EntryForm from '../components/EntryForm.vue'
import { useSignIn } from '../logic/person'

const route = useRoute()
const router = useRouter()
const username = ref('')
const password = ref('')
const { signIn, busy, error } = useSignIn()

async function enter(): Promise<void> {
  if (!(await signIn(username.value, password.value))) return
  const next = String(route.query.next ?? '/')
  await router.replace(next.startsWith('/') && !next.startsWith('//') ? next : '/')
}
</script>

<template>
  <EntryForm @submit="enter()">
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
