<script setup lang="ts">
/** Which feeds a reader may read: those released, and those that will be. */
import type { Schemas } from '@/api/client'
import { withFeed } from '../logic/connecting'

defineProps<{ feeds: readonly Schemas['ReadableFeed'][]; disabled?: boolean }>()
const chosen = defineModel<string[]>({ required: true })
</script>

<template>
  <ul class="feeds">
    <li v-for="feed in feeds" :key="feed.slug">
      <label>
        <input
          type="checkbox"
          :checked="chosen.includes(feed.slug)"
          :disabled="disabled"
          @change="chosen = withFeed(chosen, feed.slug, ($event.target as HTMLInputElement).checked)"
        />
        {{ feed.name }} <span class="mono soft">{{ feed.view }}</span><span
          v-if="!feed.is_released"
          class="soft"
          >{{ ` not released yet` }}</span
        >
      </label>
    </li>
    <li v-if="!feeds.length" class="soft">There is no feed yet.</li>
  </ul>
</template>

<style scoped>
.feeds {
  display: grid;
  gap: 4px;
  margin: 0;
  padding: 0;
  list-style: none;
  max-height: 260px;
  overflow: auto;
}
input[type='checkbox'] {
  accent-color: var(--press);
}
</style>
