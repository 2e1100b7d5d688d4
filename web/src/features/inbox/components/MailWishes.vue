<script setup lang="ts">
/** When the person wants mail about what waits: of all feeds, and otherwise of some. */
import { api, unwrap, type Schemas } from '@/api/client'
import { StateNote } from '@/shared'
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref, useTemplateRef, watch } from 'vue'

const props = defineProps<{ inbox: Schemas['InboxOut'] }>()
type When = Schemas['WishIn']['when']
const LABELS: Record<When, string> = {
  never: 'no mail',
  'at once': 'a mail at once',
  daily: 'one mail a day, at 6:00 UTC',
}

const ofAll = computed(() => (props.inbox.wishes.find((wish) => !wish.feed)?.when ?? 'never') as When)
const others = computed(() => props.inbox.wishes.filter((wish) => wish.feed))
const { data: feeds } = useQuery({
  queryKey: ['feeds'],
  queryFn: () => unwrap(api.GET('/api/feeds')),
})
const free = computed(() =>
  (feeds.value ?? []).filter((feed) => !others.value.some((wish) => wish.feed === feed.slug)),
)
const nameOf = (slug: string | null) => feeds.value?.find((feed) => feed.slug === slug)?.name ?? slug
const added = ref('')
/** A feed is begun with what holds for all, to be chosen otherwise. */
function add(): void {
  if (added.value) save.mutate({ when: ofAll.value, feed: added.value })
  added.value = ''
}
const mail = ref(props.inbox.mail)
const when = ref<When>(ofAll.value)
watch(
  () => props.inbox,
  (now, before) => {
    // what is being typed is not lost when the page asks again
    if (mail.value === before.mail) mail.value = now.mail
    when.value = ofAll.value
  },
)
const queries = useQueryClient()
const save = useMutation({
  mutationFn: (body: Schemas['WishIn']) => unwrap(api.PUT('/api/inbox/mail', { body })),
  onSuccess: (inbox) => queries.setQueryData(['inbox'], inbox),
})
const field = useTemplateRef('field')
const wrong = ref('')
function submit(): void {
  // the browser knows what an address is; it says so in our words
  wrong.value = field.value?.validity.valid
    ? ''
    : `“${mail.value}” is no mail address such as name@example.org.`
  if (!wrong.value) save.mutate({ when: when.value, mail: mail.value, feed: null })
}
</script>

<template>
  <section aria-labelledby="mail-heading">
    <h2 id="mail-heading">By mail</h2>
    <form novalidate @submit.prevent="submit">
      <p>
        Send <label class="hidden-label" for="mail-when">When</label>
        <select id="mail-when" v-model="when" class="field pick">
          <option v-for="(label, key) in LABELS" :key="key" :value="key">{{ label }}</option></select
        >{{ ' ' }}to <label class="hidden-label" for="mail-address">Mail address</label>
        <input
          id="mail-address"
          ref="field"
          v-model="mail"
          class="field address"
          type="email"
          placeholder="name@example.org"
          maxlength="254"
        />
        when something new waits for you.
      </p>
      <p class="buttons">
        <button class="btn" :disabled="save.isPending.value">Save</button>
        <span v-if="save.isSuccess.value && !wrong" class="soft" role="status">Saved.</span>
      </p>
    </form>
    <p v-for="wish in others" :key="wish.feed ?? ''">
      Of
      <RouterLink :to="{ name: 'feed', params: { slug: wish.feed } }">{{ nameOf(wish.feed) }}</RouterLink>{{
        ' '
      }}<label class="hidden-label" :for="`mail-${wish.feed}`">When, of {{ nameOf(wish.feed) }}</label>
      <select
        :id="`mail-${wish.feed}`"
        class="field pick"
        :value="wish.when"
        @change="save.mutate({ when: ($event.target as HTMLSelectElement).value as When, feed: wish.feed })"
      >
        <option v-for="(label, key) in LABELS" :key="key" :value="key">{{ label }}</option></select
      >.
    </p>
    <p v-if="free.length">
      <label for="mail-feed">Something else for one feed:</label>{{ ' ' }}
      <select id="mail-feed" v-model="added" class="field pick" @change="add">
        <option value="">choose a feed</option>
        <option v-for="feed in free" :key="feed.slug" :value="feed.slug">{{ feed.name }}</option>
      </select>
    </p>
    <p v-if="wrong" class="wrong" role="alert">{{ wrong }}</p>
    <StateNote :error="save.error.value" />
  </section>
</template>

<style scoped src="../../../shared/sentence.css"></style>
<style scoped>
.address {
  width: 210px;
}
.wrong {
  color: var(--ink);
}
</style>
