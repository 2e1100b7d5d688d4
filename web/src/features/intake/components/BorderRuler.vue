<script setup lang="ts">
/** The borders of fixed-width columns over the raw text: a click sets or takes one, arrow keys move it. */
import { computed } from 'vue'

const props = defineProps<{ borders: number[]; width: number; disabled?: boolean }>()
const emit = defineEmits<{ move: [now: number[]] }>()
const ticks = computed(() => Array.from({ length: Math.ceil(props.width / 10) }, (_, i) => i * 10))

function put(now: number[]): void {
  emit(
    'move',
    [...new Set(now)].filter((at) => at > 0 && at < props.width).sort((a, b) => a - b),
  )
}
function toggle(event: MouseEvent): void {
  if (props.disabled || event.target !== event.currentTarget) return
  const box = (event.currentTarget as HTMLElement).getBoundingClientRect()
  const at = Math.round(((event.clientX - box.left) / box.width) * props.width)
  put([...props.borders, at])
}
function key(event: KeyboardEvent, border: number): void {
  const step = event.key === 'ArrowLeft' ? -1 : event.key === 'ArrowRight' ? 1 : 0
  const others = props.borders.filter((at) => at !== border)
  if (step) put([...others, border + step])
  else if (event.key === 'Delete' || event.key === 'Backspace') put(others)
  else return
  event.preventDefault()
}
</script>

<template>
  <!-- the buttons are the keyboard's way; a click beside them sets a new border -->
  <span class="ruler" :style="{ width: `${width}ch` }" @click="toggle">
    <small v-for="tick in ticks" :key="tick" :style="{ left: `${tick}ch` }">{{ tick || '' }}</small>
    <button
      v-for="border in borders"
      :key="border"
      type="button"
      :disabled="disabled"
      :style="{ left: `${border}ch` }"
      :aria-label="`Border before character ${border + 1}; arrow keys move it, Delete removes it`"
      :title="`before character ${border + 1}; click removes it`"
      @click="put(borders.filter((at) => at !== border))"
      @keydown="key($event, border)"
    ></button>
  </span>
</template>

<style scoped>
.ruler {
  position: relative;
  display: block;
  height: 20px;
  border-bottom: 1px solid var(--faint);
  font: 12px/20px var(--mono);
  cursor: crosshair;
}
small {
  position: absolute;
  top: 0;
  color: var(--soft);
  font-size: 10px;
  pointer-events: none;
}
button {
  position: absolute;
  top: 4px;
  width: 9px;
  height: 16px;
  margin-left: -4px;
  border: 0;
  padding: 0;
  background: linear-gradient(var(--press) 0 0) center / 3px 100% no-repeat;
  cursor: pointer;
}
</style>
