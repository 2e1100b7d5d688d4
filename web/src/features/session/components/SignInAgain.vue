<script setup lang="ts">
/** The session ended while a page was open: sign in over it, so that nothing typed is lost. */
import { api, must, signedOut, type Schemas } from '@/api/client'
import { DialogBox, StateNote } from '@/shared'
import { useQueryClient } from '@tanstack/vue-query'
import { ref, watch } from 'vue'

const props = defineProps<{ person: Schemas['PersonOut'] }>()
const queries = useQueryClient()
const password = ref('')
const busy = ref(false)
const error = ref<unknown>()
const box = ref<HTMLInputElement>()
watch(box, (field) => field?.focus())

async function signIn(): Promise<void> {
  busy.value = true
  error.value = undefined
  try {
    const body = { username: props.person.username, password: password.value }
    queries.setQueryData(['session'], await must(api.POST('/api/session', { body })))
    signedOut.value = false
    await queries.invalidateQueries()
  } catch (problem) {
    error.value = problem
  } finally {
    busy.value = false
  }
}
const asSomebodyElse = () => location.assign('/sign-in')
</script>

<template>
  <DialogBox title="You were signed out" :width="380" :closable="false">
    <form @submit.prevent="signIn()">
      <p class="soft">Sign in again and go on; what you typed is still here.</p>
      <label for="password-again">Password of {{ person.name }}</label>
      <input
        id="password-again"
        ref="box"
        v-model="password"
        class="field"
        type="password"
        autocomplete="current-password"
        required
      />
      <StateNote :error="error" />
      <div class="answers">
        <button class="btn main" :disabled="busy">Sign in</button>
        <button type="button" class="link" @click="asSomebodyElse">sign in as somebody else</button>
      </div>
    </form>
  </DialogBox>
</template>

<style scoped>
form {
  display: grid;
  gap: 6px;
}
label {
  margin-top: 6px;
  color: var(--soft);
}
.answers {
  display: flex;
  align-items: baseline;
  gap: 14px;
  margin-top: 12px;
}
</style>
