<script setup lang="ts">
import { api, unwrap, type Schemas } from '@/api/client'
import { count, DialogBox, plural, StateNote } from '@/shared'
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref } from 'vue'

const props = defineProps<{ release: Schemas['ReleaseOut'] }>()
const queries = useQueryClient()
const asking = ref(false)
const why = ref('')
const mayEnd = ref(false)
const path = computed(() => ({ path: { release_id: props.release.id } }))
const effect = useQuery({
  queryKey: ['withdrawal', computed(() => props.release.id)],
  queryFn: () => unwrap(api.GET('/api/releases/{release_id}/withdrawal', { params: path.value })),
  enabled: asking,
  gcTime: 0,
})
const withdraw = useMutation({
  mutationFn: () =>
    unwrap(
      api.POST('/api/releases/{release_id}/withdraw', {
        params: path.value,
        body: { justification: why.value, ends_view: mayEnd.value },
      }),
    ),
  onSuccess: () => {
    asking.value = false
    return queries.invalidateQueries()
  },
})
</script>

<template>
  <button type="button" class="link" @click="asking = true">Withdraw</button>
  <DialogBox
    v-if="asking"
    :title="`Withdraw release ${release.number} of ${release.feed.name}`"
    :width="480"
    @close="asking = false"
  >
    <form class="ask" @submit.prevent="withdraw.mutate()">
      <StateNote :loading="effect.isLoading.value" :error="effect.error.value" />
      <p v-if="effect.data.value">
        <template v-if="effect.data.value.ends_view"
          >Nothing else of {{ release.feed.name }} is released. The view
          <span class="mono">{{ release.view }}</span> ends, and readers meet an error until the next
          release.</template
        >
        <template v-else
          >The view <span class="mono">{{ release.view }}</span> shows
          {{ plural(effect.data.value.records, 'record') }} now and
          {{ count(effect.data.value.records_after) }} afterwards<template
            v-if="effect.data.value.returning.length"
            >: release {{ effect.data.value.returning.join(', ') }} shows again</template
          >.</template
        >
        The {{ plural(release.records, 'record') }} of release {{ release.number }} stay stored.
      </p>
      <label v-if="effect.data.value?.ends_view" class="check"
        ><input v-model="mayEnd" type="checkbox" required />The view may end</label
      >
      <label :for="`why-${release.id}`">Why</label>
      <input :id="`why-${release.id}`" v-model="why" class="field" required maxlength="2000" />
      <p class="acts">
        <button class="btn main" :disabled="withdraw.isPending.value || !effect.data.value">
          Withdraw release {{ release.number }}
        </button>
        <button type="button" class="link" @click="asking = false">Cancel</button>
      </p>
      <StateNote :error="withdraw.error.value" />
    </form>
  </DialogBox>
</template>

<style scoped>
.ask {
  display: grid;
  gap: 6px;
  justify-items: start;
  max-width: 44ch;
}
.acts {
  display: flex;
  gap: 14px;
  align-items: baseline;
}
.ask .field {
  width: 100%;
}
.check input {
  margin-right: 5px;
}
</style>
