<script setup lang="ts">
/** The session ended while a page was open: sign in over it, so that nothing typed is lost. */
import type { Schemas } from '@/api/client'
import { DialogBox, StateNote } from '@/shared'
import { useQueryClient } from '@tanstack/vue-query'
import { ref, watch } from 'vue'
import { useSignIn } from '../logic/person'

const props = defineProps<{ person: Schemas['PersonOut'] }>()
const queries = useQueryClient()
const password = ref('')
const box = ref<HTMLInputElement>()
watch(box, (field) => field?.focus())
const { signIn, busy, error } = useSignIn()

async function enter(): Promise<void> {
  if (await signIn(props.person.username, password.value)) await queries.invalidateQueries()
}
const asSomebodyElse = () => location.assign('/sign-in')
</script>

<template>
  <DialogBox title="You were signed out" :width="380" :closable="false">
    <form @submit.prevent="enter()">
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
