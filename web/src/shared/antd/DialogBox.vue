<script setup lang="ts">
/** A dialog over the page, closed by Esc or its cross; the first field in it has the focus. */
import { Modal } from 'ant-design-vue'
import Themed from './Themed.vue'

defineProps<{ title: string; width: number; closable?: boolean }>()
const emit = defineEmits<{ close: [] }>()
</script>

<template>
  <Themed>
    <Modal
      open
      :title="title"
      :footer="null"
      :width="width"
      :closable="closable ?? true"
      @cancel="emit('close')"
    >
      <slot />
    </Modal>
  </Themed>
</template>
