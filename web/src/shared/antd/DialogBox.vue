<script setup lang="ts">
/** A dialog over the page, closed by Esc or its cross. */
import { Modal } from 'ant-design-vue'
import Themed from './Themed.vue'

withDefaults(defineProps<{ title: string; width: number; closable?: boolean }>(), { closable: true })
const emit = defineEmits<{ close: [] }>()
</script>

<template>
  <Themed>
    <Modal open :title="title" :footer="null" :width="width" :closable="closable" @cancel="emit('close')">
      <slot />
    </Modal>
  </Themed>
</template>
