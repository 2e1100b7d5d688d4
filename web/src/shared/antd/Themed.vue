<script setup lang="ts">
/** What holds parts of the component library: it gives them our look, and is loaded with them only. */
import { ConfigProvider } from 'ant-design-vue'
import { useTheme } from './theme'

const look = useTheme()
</script>

<template>
  <ConfigProvider :theme="look" :auto-insert-space-in-button="false"><slot /></ConfigProvider>
</template>
