<script setup lang="ts">
/** The check of the whole record, by anyone who sees it. */
import { api, unwrap } from '@/api/client'
import { StateNote } from '@/shared'
import { useMutation } from '@tanstack/vue-query'

const check = useMutation({ mutationFn: () => unwrap(api.GET('/api/activity/check')) })
</script>

<template>
  <span class="check">
    <button type="button" class="btn" :disabled="check.isPending.value" @click="check.mutate()">
      {{ check.isPending.value ? 'Checking …' : 'Check the record' }}
    </button>
    <span v-if="check.data.value" role="status">
      <template v-if="check.data.value.broken === null">
        Whole: each entry follows the one before.
        <span class="mono soft" :title="`The newest entry: ${check.data.value.newest}`"
          >{{ check.data.value.newest.slice(0, 12) }}…</span
        >
      </template>
      <b v-else>The record is broken at entry {{ check.data.value.broken }}: {{ check.data.value.why }}.</b>
    </span>
    <StateNote :error="check.error.value" />
  </span>
</template>

<style scoped>
.check {
  display: inline-flex;
  gap: 10px;
  align-items: baseline;
}
</style>
