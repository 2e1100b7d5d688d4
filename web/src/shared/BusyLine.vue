<script setup lang="ts">
/** Work in the background: what is being done, how far, and a way to stop it. */
import { api, unwrap, type Schemas } from '@/api/client'
import { computed } from 'vue'

const props = defineProps<{ job: Schemas['JobOut'] }>()
const percent = computed(() => Math.round(100 * props.job.share))
const cancel = () =>
  unwrap(api.POST('/api/jobs/{job_id}/cancel', { params: { path: { job_id: props.job.id } } }))
</script>

<template>
  <span class="busy" role="status">
    <span>{{ job.step || 'waiting for the worker' }}</span>
    <span
      class="track"
      role="progressbar"
      aria-label="progress"
      :aria-valuenow="percent"
      aria-valuemin="0"
      aria-valuemax="100"
      ><u :style="{ width: `${percent}%` }"></u
    ></span>
    <button type="button" class="link" @click="cancel">Cancel</button>
  </span>
</template>

<style scoped>
.busy {
  display: inline-flex;
  gap: 9px;
  align-items: center;
}
.track {
  width: 90px;
  height: 4px;
  background: var(--hair);
}
u {
  display: block;
  height: 4px;
  background: var(--ink);
  transition: width 0.2s;
}
</style>
