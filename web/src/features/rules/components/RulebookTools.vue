<script setup lang="ts">
/** What can be done to the rulebook as a whole, and which revision it is. */
import type { Schemas } from '@/api/client'
import { computed } from 'vue'

const props = defineProps<{ book: Schemas['RulebookOut'] | undefined; mayWork: boolean }>()
const emit = defineEmits<{ add: []; undo: []; redo: []; open: [name: 'history' | 'text'] }>()
const state = computed(() => {
  const it = props.book
  if (!it) return ''
  if (it.revision.published) return 'published'
  return it.published !== null ? `published is ${it.published}` : 'a draft'
})
</script>

<template>
  <div class="tools">
    <template v-if="mayWork">
      <button type="button" class="link" @click="emit('add')">Add a rule</button>
      <kbd>n</kbd>
      <button
        type="button"
        class="link"
        :disabled="!book?.undo"
        :title="book?.undo ? `Undo: ${book.undo}` : 'Nothing to undo'"
        @click="emit('undo')"
      >
        Undo
      </button>
      <button
        type="button"
        class="link"
        :disabled="!book?.redo"
        :title="book?.redo ? `Redo: ${book.redo}` : 'Nothing to redo'"
        @click="emit('redo')"
      >
        Redo
      </button>
    </template>
    <span v-if="book" class="revision">revision {{ book.revision.number }}, {{ state }}</span>
    <button type="button" class="link" @click="emit('open', 'history')">History</button>
    <button type="button" class="link" @click="emit('open', 'text')">As text</button>
  </div>
</template>

<style scoped>
.tools .link:disabled {
  color: var(--soft);
  cursor: default;
  text-decoration: none;
}
.revision {
  margin-left: auto;
}
</style>
