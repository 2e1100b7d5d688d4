<script setup lang="ts">
import { ConfigProvider } from 'ant-design-vue'
import { useTheme } from './theme'

const look = useTheme()
</script>

<template>
  <ConfigProvider :theme="look" :auto-insert-space-in-button="false"><RouterView /></ConfigProvider>
</template>
