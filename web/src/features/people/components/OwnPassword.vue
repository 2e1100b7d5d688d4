<script setup lang="ts">
/** One's own password: the old one and a new one. */
import { api, unwrap } from '@/api/client'
import { StateNote } from '@/shared'
import { useMutation } from '@tanstack/vue-query'
import { ref } from 'vue'

const old = ref('')
const fresh = ref('')
const done = ref(false)
const save = useMutation({
  mutationFn: () => unwrap(api.PUT('/api/session/password', { body: { old: old.value, new: fresh.value } })),
  onSuccess: () => {
    old.value = fresh.value = ''
    done.value = true
  },
  onMutate: () => (done.value = false),
})
</script>

<template>
  <form class="own" @submit.prevent="save.mutate()">
    <h2>Your password</h2>
    <label for="old-password">Current password</label>
    <input
      id="old-password"
      v-model="old"
      class="field"
      type="password"
      autocomplete="current-password"
      required
    />
    <label for="new-password">New password</label>
    <input
      id="new-password"
      v-model="fresh"
      class="field"
      type="password"
      autocomplete="new-password"
      required
    />
    <span></span>
    <span>
      <button class="btn" :disabled="save.isPending.value || !old || !fresh">Change password</button>
      <span v-if="done" class="soft" role="status"> It is changed; your other sessions have ended.</span>
    </span>
    <StateNote class="wide" :error="save.error.value" />
  </form>
</template>

<style scoped>
.own {
  display: grid;
  grid-template-columns: 110px minmax(0, 260px);
  gap: 8px 12px;
  align-items: baseline;
  margin-top: 26px;
}
h2,
.wide {
  grid-column: 1 / -1;
}
h2 {
  font-size: 14px;
}
label {
  color: var(--soft);
}
</style>
