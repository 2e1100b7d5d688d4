<script setup lang="ts">
/** A data value as it is: missing is said, spaces at the ends and invisible characters are drawn. */
import { computed } from 'vue'
import { piecesOf } from './visible'

const props = defineProps<{ value: string | null | undefined; was?: boolean }>()
const pieces = computed(() => piecesOf(props.value ?? ''))
</script>

<template>
  <span v-if="value === null || value === undefined || value === ''" class="missing">missing</span>
  <span v-else class="value" :class="{ was }"
    ><template v-for="(piece, i) in pieces" :key="i"
      ><span v-if="piece.mark" class="mark" :title="piece.name">{{ piece.text }}</span
      ><template v-else>{{ piece.text }}</template></template
    ></span
  >
</template>

<style scoped>
.value {
  font-family: var(--mono);
  font-size: 12px;
  white-space: pre;
}
.missing {
  color: var(--soft);
  font: italic 12px var(--sans);
}
.was {
  color: var(--soft);
  text-decoration: line-through;
}
.mark {
  border-radius: 1px;
  background: var(--hair);
  color: var(--soft);
}
</style>
