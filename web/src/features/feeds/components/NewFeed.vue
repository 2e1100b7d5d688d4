<script setup lang="ts">
import { api, unwrap, type Schemas } from '@/api/client'
import { DialogBox, StateNote } from '@/shared'
import { useQueryClient } from '@tanstack/vue-query'
import { ref, watch } from 'vue'
import { useRouter } from 'vue-router'

const emit = defineEmits<{ made: [feed: Schemas['FeedOut']]; close: [] }>()
const queries = useQueryClient()
const body = ref({ name: '', supplier: '', about: '' })
const source = ref<'outside' | 'releases'>('outside')
const router = useRouter()
const error = ref<unknown>()
const first = ref<HTMLInputElement>()
watch(first, (field) => field?.focus())

async function make(): Promise<void> {
  error.value = undefined
  try {
    const feed = await unwrap(api.POST('/api/feeds', { body: body.value }))
    await queries.invalidateQueries({ queryKey: ['feeds'] })
    emit('close')
    if (source.value === 'releases') await router.push({ name: 'made-from', params: { slug: feed.slug } })
    else emit('made', feed)
  } catch (problem) {
    error.value = problem
  }
}
</script>

<template>
  <DialogBox title="New feed" :width="420" @close="emit('close')">
    <form @submit.prevent="make">
      <label for="feed-name">Name</label>
      <input
        id="feed-name"
        ref="first"
        v-model="body.name"
        class="field"
        required
        maxlength="120"
        placeholder="e.g. Lab results"
      />
      <label for="feed-supplier">Supplier</label>
      <input id="feed-supplier" v-model="body.supplier" class="field" maxlength="120" />
      <label for="feed-about">Description</label>
      <input id="feed-about" v-model="body.about" class="field" maxlength="2000" />
      <fieldset>
        <legend>Its deliveries</legend>
        <label><input v-model="source" type="radio" value="outside" /> come from outside</label>
        <label
          ><input v-model="source" type="radio" value="releases" /> are made from released tables of other
          feeds</label
        >
      </fieldset>
      <StateNote :error="error" />
      <button class="btn main">Create feed</button>
    </form>
  </DialogBox>
</template>

<style scoped>
form {
  display: grid;
  gap: 4px;
}
label {
  margin-top: 8px;
  color: var(--soft);
}
fieldset {
  display: grid;
  gap: 3px;
  margin: 12px 0 0;
  border: 0;
  padding: 0;
}
legend {
  margin-bottom: 3px;
  border: 0;
  padding: 0;
  color: var(--soft);
  font: inherit;
}
fieldset label {
  margin: 0;
  color: var(--ink);
}
.btn {
  justify-self: start;
  margin-top: 16px;
}
</style>
