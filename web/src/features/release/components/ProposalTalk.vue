<script setup lang="ts">
/** The proposal to release a delivery: what is said of it, and proposing, asking, declining and publishing. */
import { api, unwrap } from '@/api/client'
import { usePerson } from '@/features/session'
import { minute, plural, StateNote } from '@/shared'
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { proposals } from '../composables/proposalsWaiting'
import { proposalQuery, stateOf, waits } from '../logic/proposal'

const props = defineProps<{
  delivery: number
  run: number
  ready: number
  quarantined: number
  isFollowUp: boolean
  blocked: boolean
  openGates: number
}>()
const emit = defineEmits<{ changed: [] }>()
const { mayRelease, mayWork } = usePerson()
const id = computed(() => props.delivery)
const { data, error, refetch } = useQuery(
  proposalQuery(
    id,
    computed(() => props.run),
  ),
)
const proposal = computed(() => data.value?.proposal)
const isWaiting = computed(() => waits(proposal.value))
const queries = useQueryClient()
const word = ref('')
const delivery = computed(() => ({ path: { delivery_id: props.delivery } }))
const proposed = computed(() => ({ path: { proposal_id: proposal.value?.id ?? 0 } }))
const acts = {
  propose: () =>
    unwrap(
      api.POST('/api/deliveries/{delivery_id}/proposal', {
        params: delivery.value,
        body: { run: props.run, word: word.value },
      }),
    ),
  publish: () =>
    unwrap(
      api.POST('/api/deliveries/{delivery_id}/release', {
        params: delivery.value,
        body: { run: props.run, word: word.value },
      }),
    ),
  decline: () =>
    unwrap(
      api.POST('/api/proposals/{proposal_id}/decline', {
        params: proposed.value,
        body: { reason: word.value },
      }),
    ),
  remark: () =>
    unwrap(
      api.POST('/api/proposals/{proposal_id}/remarks', {
        params: proposed.value,
        body: { text: word.value },
      }),
    ),
  cancel: () => unwrap(api.POST('/api/proposals/{proposal_id}/cancel', { params: proposed.value })),
}
const act = useMutation({
  mutationFn: async (name: keyof typeof acts): Promise<void> => {
    await acts[name]()
  },
  onSuccess: () => (word.value = ''),
  onSettled: async () => {
    await Promise.all([refetch(), queries.invalidateQueries({ queryKey: proposals.queryKey })])
    emit('changed')
  },
})
const busy = computed(() => act.isPending.value)
const label = computed(() => {
  if (!isWaiting.value) return mayRelease.value ? 'What you say of it' : 'A word to the approver'
  return mayRelease.value ? 'Your reason, question or word' : 'Your answer'
})
</script>

<template>
  <section aria-label="Proposal">
    <StateNote :error="error" />
    <template v-if="proposal">
      <h2>Proposal</h2>
      <ol>
        <li>
          <b>{{ proposal.who }}</b> <span class="soft">{{ minute(proposal.at) }}</span>
          <p>{{ proposal.word || 'proposed it without a word' }}</p>
        </li>
        <li v-for="(each, at) in proposal.remarks" :key="at">
          <b>{{ each.who }}</b> <span class="soft">{{ minute(each.at) }}</span>
          <p>{{ each.text }}</p>
        </li>
        <li v-if="proposal.decided_at">
          <b>{{ stateOf(proposal) }}</b> <span class="soft">{{ minute(proposal.decided_at) }}</span>
          <p>{{ proposal.answer }}</p>
        </li>
      </ol>
      <p v-if="!proposal.decided_at" class="soft">{{ stateOf(proposal) }}</p>
    </template>
    <template v-if="mayWork">
      <p v-if="mayRelease">
        Publishing makes a table of <b>{{ plural(ready, 'record') }}</b> in the schema
        <span class="mono">released</span
        ><template v-if="!isFollowUp"> and points the feed's view at it</template>.
        {{ plural(quarantined, 'quarantined record') }} are not published.
      </p>
      <p v-else-if="!isWaiting" class="soft">
        An approver publishes. Propose the release, and it waits among their releases.
      </p>
      <label :for="`word-${delivery.path.delivery_id}`">{{ label }}</label>
      <textarea
        :id="`word-${delivery.path.delivery_id}`"
        v-model="word"
        class="field"
        rows="2"
        maxlength="2000"
      ></textarea>
      <p class="acts">
        <button
          v-if="mayRelease"
          type="button"
          class="btn main"
          :disabled="blocked || busy || Boolean(data?.why_not)"
          @click="act.mutate('publish')"
        >
          Publish {{ plural(ready, 'record') }}
        </button>
        <button
          v-if="!isWaiting"
          type="button"
          class="btn"
          :class="{ main: !mayRelease }"
          :disabled="blocked || busy"
          @click="act.mutate('propose')"
        >
          {{ mayRelease ? 'Propose' : 'Propose the release' }}
        </button>
        <template v-else>
          <button
            v-if="mayRelease"
            type="button"
            class="btn"
            :disabled="busy || !word.trim()"
            title="Write the reason first"
            @click="act.mutate('decline')"
          >
            Decline
          </button>
          <button
            type="button"
            class="btn"
            :disabled="busy || !word.trim()"
            title="Write it first"
            @click="act.mutate('remark')"
          >
            {{ data?.is_own ? 'Answer' : 'Ask' }}
          </button>
          <button
            v-if="data?.is_own"
            type="button"
            class="link"
            :disabled="busy"
            @click="act.mutate('cancel')"
          >
            Cancel the proposal
          </button>
        </template>
      </p>
      <p v-if="openGates" class="soft">{{ plural(openGates, 'gate is', 'gates are') }} open, so it waits.</p>
      <p v-if="mayRelease && data?.why_not" class="soft">
        {{ data.why_not }} In this feed a second person approves.
      </p>
    </template>
    <p v-else class="soft">An analyst proposes and an approver publishes.</p>
    <StateNote :error="act.error.value" />
  </section>
</template>

<style scoped>
h2 {
  padding: 12px 0 4px;
  font-size: 14px;
  font-weight: 650;
}
ol {
  margin: 0;
  padding: 0;
  list-style: none;
}
li {
  border-bottom: 1px solid var(--hair2);
  padding: 6px 0;
}
li p {
  margin: 0;
  overflow-wrap: anywhere;
  white-space: pre-line;
}
p {
  padding: 6px 0;
}
li p:empty {
  display: none;
}
li p {
  padding: 1px 0 0;
}
textarea {
  width: 100%;
  resize: vertical;
}
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 8px 10px;
  align-items: baseline;
}
</style>
