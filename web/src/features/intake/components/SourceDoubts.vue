<script setup lang="ts">
/** Lines that read differently under another value of a setting: what they are under each, to choose from. */
import type { Schemas } from '@/api/client'
import { count, plural } from '@/shared'
import { computed } from 'vue'
import { doubtsBySetting, readingsOf, settingOf } from '../logic/doubts'
import type { Request } from '../logic/settings'

const props = defineProps<{
  doubts: Schemas['DoubtOut'][]
  settings: Record<string, unknown>
  disabled: boolean
}>()
const emit = defineEmits<{ choose: [change: Request] }>()
const groups = computed(() => doubtsBySetting(props.doubts))
</script>

<template>
  <details v-for="group in groups" :key="group.about" class="doubts" :open="group.about !== 'encoding'">
    <summary>{{ group.says(plural(group.doubts.length, 'line')) }}</summary>
    <dl v-for="doubt in group.doubts" :key="doubt.line">
      <dt>line {{ count(doubt.line) }}</dt>
      <dd v-for="{ names, text } in readingsOf(doubt.readings)" :key="text">
        <span class="names">
          <button
            v-for="name in names"
            :key="name"
            type="button"
            class="link"
            :aria-pressed="String(settings[group.about] ?? '') === name"
            :disabled="disabled"
            @click="emit('choose', { [group.about]: settingOf(group.about, name) })"
          >
            {{ group.word(name) }}
          </button>
        </span>
        <span class="mono reading" :title="text">{{ text }}</span>
      </dd>
    </dl>
  </details>
</template>

<style scoped>
.doubts {
  margin-top: 6px;
}
.doubts summary {
  color: var(--press);
  cursor: pointer;
}
dl {
  display: grid;
  grid-template-columns: 70px 1fr;
  gap: 0 8px;
  margin: 4px 0;
}
dt {
  grid-row: span 5;
  color: var(--soft);
}
dd {
  grid-column: 2;
  margin: 0;
}
.names {
  display: flex;
  flex-wrap: wrap;
  gap: 0 10px;
}
.reading {
  display: block;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: pre;
}
.names [aria-pressed='true'] {
  font-weight: 600;
}
</style>
