<script setup lang="ts">
import { usePreferredDark } from '@vueuse/core'
import { watchEffect } from 'vue'

const dark = usePreferredDark()
watchEffect(() => document.documentElement.classList.toggle('dark', dark.value))
</script>

<template>
  <RouterView />
</template>
