<script setup lang="ts">
/** The key of the feed: by it later deliveries are met with waiting records. */
import { api, unwrap, type Schemas } from '@/api/client'
import { count, StateNote } from '@/shared'
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref } from 'vue'

const props = defineProps<{ slug: string; feedKey: string[]; columns: string[]; mayWork: boolean }>()
const queries = useQueryClient()
const open = ref(false)
const own = ref<string[]>([])
const path = computed(() => ({ path: { slug: props.slug } }))
const proposed = useQuery({
  queryKey: ['feed key', computed(() => props.slug)],
  queryFn: () => unwrap(api.GET('/api/feeds/{slug}/key', { params: path.value })),
  enabled: open,
})
const agree = useMutation({
  mutationFn: (columns: string[]) =>
    unwrap(api.PUT('/api/feeds/{slug}/key', { params: path.value, body: { columns } })),
  onSuccess: async () => {
    open.value = false
    await queries.invalidateQueries()
  },
})
function start(): void {
  own.value = [...props.feedKey]
  open.value = true
}
function told(proposal: Schemas['KeyProposal']): string {
  const rest = proposal.records - proposal.different
  return rest ? `all but ${count(rest)} records are told apart` : 'all records are told apart'
}
const same = (a: string[], b: string[]) => a.join('\u0000') === b.join('\u0000')
</script>

<template>
  <div class="key">
    <p>
      <template v-if="feedKey.length"
        ><span class="soft">Key</span> <em>{{ feedKey.join(', ') }}</em></template
      >
      <span v-else class="soft">No key is agreed: later deliveries cannot be met with waiting records.</span>
      <button v-if="mayWork && !open" type="button" class="link" @click="start">
        {{ feedKey.length ? 'Change' : 'Agree a key' }}
      </button>
    </p>
    <form v-if="open" class="choose" @submit.prevent="agree.mutate(own)">
      <StateNote :loading="proposed.isLoading.value" :error="proposed.error.value ?? agree.error.value" />
      <ul v-if="proposed.data.value?.proposals.length">
        <li v-for="each in proposed.data.value.proposals" :key="each.columns.join()">
          <button
            type="button"
            class="link"
            :disabled="same(each.columns, own)"
            @click="own = [...each.columns]"
          >
            {{ each.columns.join(', ') }}
          </button>
          <span class="soft"
            >{{ told(each)
            }}<template v-if="each.missing">, {{ count(each.missing) }} have no value in it</template></span
          >
        </li>
      </ul>
      <p v-else-if="proposed.data.value" class="soft">
        No column, and no two or three together, tell the records of the newest delivery apart.
      </p>
      <label for="key-columns">Columns of the key</label>
      <select id="key-columns" v-model="own" class="field mono" multiple size="5">
        <option v-for="name in columns" :key="name" :value="name">{{ name }}</option>
      </select>
      <div class="acts">
        <button class="btn main" :disabled="agree.isPending.value || same(own, feedKey)">
          {{ own.length ? 'Agree' : 'No key' }}
        </button>
        <button type="button" class="btn" @click="open = false">Cancel</button>
      </div>
    </form>
  </div>
</template>

<style scoped>
.key {
  padding: 8px 0 0;
}
.key p .link {
  margin-left: 6px;
}
em {
  font: 550 12.5px var(--mono);
}
.choose {
  max-width: 520px;
  border: 1px solid var(--hair);
  padding: 10px 14px 12px;
  background: var(--sheet);
}
ul {
  margin: 0 0 8px;
  padding: 0;
  list-style: none;
}
li .link {
  margin-right: 10px;
  font: 550 12.5px var(--mono);
}
label {
  display: block;
  color: var(--soft);
}
select {
  width: 100%;
  height: 108px;
}
.acts {
  display: flex;
  gap: 8px;
  margin-top: 10px;
}
</style>
