<script setup lang="ts">
/** When a person signed in, the newest first. */
import { api, unwrap } from '@/api/client'
import { minute, StateNote } from '@/shared'
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'

const props = defineProps<{ person: number }>()
const { data, error, isLoading } = useQuery({
  queryKey: ['sign-ins', computed(() => props.person)],
  queryFn: () =>
    unwrap(api.GET('/api/people/{person_id}/sign-ins', { params: { path: { person_id: props.person } } })),
})
</script>

<template>
  <div class="sign-ins">
    <StateNote :loading="isLoading" :error="error" />
    <template v-if="data">
      <span class="soft">Signed in {{ data.length === 50 ? '(the newest 50)' : '' }}</span>
      <ul>
        <li v-for="item in data" :key="item.at" class="mono">{{ minute(item.at) }}</li>
      </ul>
    </template>
  </div>
</template>

<style scoped>
.sign-ins {
  display: flex;
  gap: 14px;
  align-items: baseline;
}
ul {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 18px;
  margin: 0;
  padding: 0;
  list-style: none;
}
</style>
