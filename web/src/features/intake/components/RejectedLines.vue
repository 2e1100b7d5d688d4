<script setup lang="ts">
/** The rejected lines with their raw text and reason, a page at a time. */
import { api, must } from '@/api/client'
import { count, StateNote } from '@/shared'
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'

const props = defineProps<{ delivery: number }>()
const SIZE = 200
const offset = ref(0)
const { data, error, isLoading } = useQuery({
  queryKey: ['rejected', computed(() => props.delivery), offset],
  queryFn: () =>
    must(
      api.GET('/api/deliveries/{delivery_id}/rejected', {
        params: { path: { delivery_id: props.delivery }, query: { offset: offset.value, limit: SIZE } },
      }),
    ),
  placeholderData: keepPreviousData,
})
</script>

<template>
  <div class="list" tabindex="0" role="region" aria-label="Rejected lines">
    <StateNote :loading="isLoading" :error="error" />
    <table v-if="data" class="lines">
      <thead>
        <tr>
          <th>File</th>
          <th class="num">Line</th>
          <th>Why it is rejected</th>
          <th>Raw text</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="line in data.lines" :key="`${line.file} ${line.line}`">
          <td class="mono">{{ line.file }}</td>
          <td class="num">{{ count(line.line) }}</td>
          <td class="why">{{ line.reason }}</td>
          <td class="mono raw">{{ line.text }}</td>
        </tr>
      </tbody>
    </table>
    <p v-if="data && data.total > SIZE" class="tools">
      {{ count(offset + 1) }} to {{ count(Math.min(offset + SIZE, data.total)) }} of {{ count(data.total) }}
      <button v-if="offset" type="button" class="link" @click="offset -= SIZE">Earlier</button>
      <button v-if="offset + SIZE < data.total" type="button" class="link" @click="offset += SIZE">
        Later
      </button>
    </p>
  </div>
</template>

<style scoped>
.list {
  flex: 1;
  min-height: 0;
  overflow: auto;
  border-top: 1px solid var(--hair);
  padding: 8px 20px 12px 0;
}
.why {
  white-space: nowrap;
}
.raw {
  overflow-wrap: anywhere;
  white-space: pre-wrap;
}
</style>
