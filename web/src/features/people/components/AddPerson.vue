<script setup lang="ts">
/** The form for a new person; what comes of it is an address that works once. */
import { api, unwrap, type Schemas } from '@/api/client'
import { StateNote } from '@/shared'
import { useMutation } from '@tanstack/vue-query'
import { ref } from 'vue'
import { ROLES, withRole } from '../logic/roles'

const emit = defineEmits<{ added: [made: Schemas['Invited']]; cancel: [] }>()
const fresh = ref<Schemas['PersonIn']>({ username: '', name: '', roles: [] })
const add = useMutation({
  mutationFn: () => unwrap(api.POST('/api/people', { body: fresh.value })),
  onSuccess: (created) => emit('added', created),
})
</script>

<template>
  <form class="add" @submit.prevent="add.mutate()" @keydown.esc="emit('cancel')">
    <label for="new-username">Signs in as</label>
    <input id="new-username" v-model="fresh.username" class="field" required autocomplete="off" />
    <label for="new-name">Name</label>
    <input id="new-name" v-model="fresh.name" class="field" autocomplete="off" />
    <span class="soft">Roles</span>
    <span class="roles">
      <label v-for="{ role, may } in ROLES" :key="role">
        <input
          type="checkbox"
          :checked="fresh.roles.includes(role)"
          @change="fresh.roles = withRole(fresh.roles, role, ($event.target as HTMLInputElement).checked)"
        />
        {{ role }} <span class="soft">{{ may }}</span>
      </label>
    </span>
    <span></span>
    <span class="acts">
      <button class="btn main" :disabled="add.isPending.value">Add person</button>
      <button type="button" class="btn" @click="emit('cancel')">Cancel</button>
    </span>
    <StateNote :error="add.error.value" />
  </form>
</template>

<style scoped>
.add {
  display: grid;
  grid-template-columns: 110px minmax(0, 420px);
  gap: 8px 12px;
  align-items: baseline;
  margin: 4px 0 14px;
}
.add > label {
  color: var(--soft);
}
.roles {
  display: grid;
  gap: 4px;
}
.acts {
  display: flex;
  gap: 12px;
}
input[type='checkbox'] {
  accent-color: var(--press);
}
</style>
