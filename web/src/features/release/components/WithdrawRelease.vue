<script setup lang="ts">
import { api, unwrap, type Schemas } from '@/api/client'
import { StateNote } from '@/shared'
import { useMutation, useQueryClient } from '@tanstack/vue-query'
import { ref } from 'vue'

const props = defineProps<{ release: Schemas['ReleaseOut'] }>()
const queries = useQueryClient()
const asking = ref(false)
const why = ref('')
const withdraw = useMutation({
  mutationFn: () =>
    unwrap(
      api.POST('/api/releases/{release_id}/withdraw', {
        params: { path: { release_id: props.release.id } },
        body: { justification: why.value },
      }),
    ),
  onSuccess: () => {
    asking.value = false
    return queries.invalidateQueries()
  },
})
</script>

<template>
  <button v-if="!asking" type="button" class="link" @click="asking = true">Withdraw</button>
  <form v-else class="ask" @submit.prevent="withdraw.mutate()">
    <p>
      The view <span class="mono">{{ release.view }}</span> will show the release before this one. The
      {{ release.records.toLocaleString('en-US') }} records stay stored.
    </p>
    <label :for="`why-${release.id}`">Why</label>
    <input :id="`why-${release.id}`" v-model="why" class="field" required maxlength="2000" />
    <button class="btn">Withdraw release {{ release.number }}</button>
    <button type="button" class="link" @click="asking = false">Cancel</button>
    <StateNote :error="withdraw.error.value" />
  </form>
</template>

<style scoped>
.ask {
  display: grid;
  gap: 6px;
  justify-items: start;
  max-width: 44ch;
}
</style>
