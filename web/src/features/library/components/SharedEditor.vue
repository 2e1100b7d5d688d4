<script setup lang="ts">
/** Rules for all feeds that a pattern fits, taken from a feed's rulebook; where they apply is shown. */
import { api, unwrap, type Schemas } from '@/api/client'
import { plural, SentenceText } from '@/shared'
import { useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { useKeeping } from '../logic'
import { fitting } from '../patterns'
import EntryForm from './EntryForm.vue'

const props = defineProps<{ entry?: Schemas['SharedOut']; mayWork: boolean }>()
const emit = defineEmits<{ done: [name: string] }>()
const name = ref(props.entry?.name ?? '')
const about = ref(props.entry?.about ?? '')
const pattern = ref(props.entry?.feeds ?? '')
const place = ref<'first' | 'last'>((props.entry?.place as 'first' | undefined) ?? 'first')
const rules = ref(
  (props.entry?.rules ?? []).map((rule, i) => ({ rule, sentence: props.entry?.sentences[i] ?? [] })),
)
const from = ref('')
const feeds = useQuery({ queryKey: ['feeds'], queryFn: () => unwrap(api.GET('/api/feeds')) })
const fits = computed(() => fitting(pattern.value, feeds.data.value ?? []))
/** Take a rule over from a feed; a group that is for no feed yet is for this one. */
function take(rule: unknown, sentence: Schemas['Part'][]): void {
  rules.value.push({ rule: rule as never, sentence })
  pattern.value ||= from.value
}
function move(at: number, by: number): void {
  const [moved] = rules.value.splice(at, 1)
  if (moved) rules.value.splice(at + by, 0, moved)
}
const book = useQuery({
  queryKey: ['rulebook', from],
  queryFn: () => unwrap(api.GET('/api/feeds/{slug}/rulebook', { params: { path: { slug: from.value } } })),
  enabled: () => Boolean(from.value),
})
const keeping = useKeeping(
  () =>
    unwrap(
      api.PUT('/api/library/shared', {
        body: {
          name: name.value,
          feeds: pattern.value,
          place: place.value,
          rules: rules.value.map(({ rule }) => rule),
          off: props.entry?.off ?? [],
          about: about.value,
        },
      }),
    ),
  (kept) => emit('done', kept.name),
)
</script>

<template>
  <EntryForm
    v-model:name="name"
    v-model:about="about"
    :title="entry ? 'Shared rules' : 'New shared rules'"
    :fixed="Boolean(entry)"
    :error="keeping.error.value"
    :saving="keeping.isPending.value"
    :may-work="mayWork"
    @keep="keeping.mutate()"
  >
    <label for="shared-feeds">For feeds like</label>
    <input
      id="shared-feeds"
      v-model="pattern"
      class="field"
      placeholder="none yet; such as lab-*, sites"
      :disabled="!mayWork"
      required
      aria-describedby="shared-fits"
    />
    <span></span>
    <p id="shared-fits" class="soft" role="status">
      {{
        fits.length
          ? `Fits ${plural(fits.length, 'feed')}: ${fits.map((feed) => feed.name).join(', ')}.`
          : 'Fits no feed.'
      }}
    </p>
    <label for="shared-place">They run</label>
    <select id="shared-place" v-model="place" class="field" :disabled="!mayWork">
      <option value="first">before the feed’s own rules</option>
      <option value="last">after the feed’s own corrections</option>
    </select>
    <template #below>
      <p v-if="entry" class="soft">
        Applies to
        {{ entry.applies_to.filter((slug) => !entry?.off.includes(slug)).join(', ') || 'no feed yet'
        }}{{ entry.off.length ? `; switched off for ${entry.off.join(', ')}` : '' }}.
      </p>
      <ol class="rules">
        <li v-for="(eachRule, i) in rules" :key="i">
          <SentenceText :parts="eachRule.sentence" />
          <span v-if="mayWork" class="acts">
            <button
              v-if="i > 0"
              type="button"
              class="link"
              :aria-label="`Move rule ${i + 1} up`"
              @click="move(i, -1)"
            >
              ↑
            </button>
            <button
              v-if="i < rules.length - 1"
              type="button"
              class="link"
              :aria-label="`Move rule ${i + 1} down`"
              @click="move(i, 1)"
            >
              ↓
            </button>
            <button
              type="button"
              class="link"
              :aria-label="`Remove rule ${i + 1}`"
              @click="rules.splice(i, 1)"
            >
              ×
            </button>
          </span>
        </li>
      </ol>
      <p v-if="!rules.length" class="soft">No rules yet: copy some from a feed.</p>
      <div v-if="mayWork" class="take">
        <label for="shared-from" class="soft">Copy rules from</label>
        <select id="shared-from" v-model="from" class="field">
          <option value="">choose a feed</option>
          <option v-for="feed in feeds.data.value ?? []" :key="feed.slug" :value="feed.slug">
            {{ feed.name }}
          </option>
        </select>
      </div>
      <button
        v-for="eachRule in from ? (book.data.value?.rules ?? []) : []"
        :key="eachRule.rule.id"
        type="button"
        class="offered"
        @click="take(eachRule.rule, eachRule.sentence)"
      >
        <SentenceText :parts="eachRule.sentence" />
      </button>
    </template>
  </EntryForm>
</template>

<style scoped>
.rules {
  margin: 8px 0;
  padding-left: 24px;
}
.rules li {
  border-bottom: 1px solid var(--hair2);
  padding: 4px 0;
}
.acts {
  display: inline-flex;
  float: right;
  gap: 12px;
}
.take {
  display: grid;
  grid-template-columns: 128px minmax(0, 1fr);
  gap: 10px;
  align-items: baseline;
}
.offered {
  display: block;
  width: 100%;
  border: 0;
  border-bottom: 1px solid var(--hair2);
  padding: 4px 6px;
  background: none;
  color: var(--press);
  font: inherit;
  text-align: left;
  cursor: pointer;
}
.offered:hover {
  background: var(--hair2);
}
</style>
