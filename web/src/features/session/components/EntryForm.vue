<script setup lang="ts">
/** The form through which people come in: the name of the application above what is asked. */
import { BalanceBar } from '@/shared'

const emit = defineEmits<{ submit: [] }>()
const LOGO = { delivered: 100, added: 0, ready: 64, corrected: 18, quarantined: 9, removed: 6, rejected: 3 }
</script>

<template>
  <main class="page">
    <form @submit.prevent="emit('submit')">
      <h1>Pravin</h1>
      <BalanceBar :balance="LOGO" :height="10" aria-hidden="true" />
      <slot />
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
form :deep(label) {
  margin-top: 10px;
  color: var(--soft);
}
form :deep(.btn) {
  align-self: start;
  margin-top: 14px;
}
</style>
