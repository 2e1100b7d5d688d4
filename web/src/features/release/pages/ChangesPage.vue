<script setup lang="ts">
/** What changed between two releases of a feed, or from a release to what would be released: records by key. */
import { api, unwrap, type Schemas } from '@/api/client'
import { useAddress } from '@/app/address'
import { count, plural, StateNote } from '@/shared'
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { useRoute } from 'vue-router'
import FeedHeading from '../components/FeedHeading.vue'
import ChangedRecords from '../components/ChangedRecords.vue'
import { askedOf, changesQuery, KINDS, type Kind } from '../logic/changes'

const PAGE = 100
const route = useRoute()
const { query, ask } = useAddress()
const slug = computed(() => String(route.params.slug))
const sides = computed(() => askedOf(query.value))
const { data, error, isLoading } = useQuery(changesQuery(slug, sides))
const kind = computed<Kind>(() => {
  const asked = KINDS.find((each) => each === query.value.kind)
  return asked ?? KINDS.find((each) => data.value?.[each]) ?? 'changed'
})
const column = computed(() => (kind.value === 'changed' ? String(query.value.column ?? '') : ''))
const from = computed(() => Number(query.value.from ?? 0) || 0)
const total = computed(() => {
  if (!column.value) return data.value?.[kind.value] ?? 0
  return data.value?.columns.find((each) => each.name === column.value)?.records ?? 0
})
const records = useQuery({
  queryKey: ['changed records', slug, sides, kind, column, from],
  queryFn: () =>
    unwrap(
      api.GET('/api/feeds/{slug}/changes/records', {
        params: {
          path: { slug: slug.value },
          query: { ...sides.value, kind: kind.value, column: column.value, offset: from.value, limit: PAGE },
        },
      }),
    ),
  enabled: computed(() => total.value > 0),
  placeholderData: keepPreviousData,
})
const columnsOnly = (changes: Schemas['ChangesOut']) =>
  [
    changes.columns_added.length ? `new: ${changes.columns_added.join(', ')}` : '',
    changes.columns_gone.length ? `gone: ${changes.columns_gone.join(', ')}` : '',
  ]
    .filter(Boolean)
    .join('; ')
</script>

<template>
  <main class="page">
    <FeedHeading :slug="slug" about="what changed">
      <span v-if="data" class="soft"
        >from {{ data.before.name }} to {{ data.after.name }}, records told apart by
        <span class="mono">{{ data.key.join(', ') }}</span></span
      >
    </FeedHeading>
    <StateNote :loading="isLoading" :error="error" />
    <template v-if="data">
      <div class="kinds" role="group" aria-label="Records">
        <button
          v-for="each in KINDS"
          :key="each"
          type="button"
          :aria-pressed="each === kind"
          :disabled="!data[each]"
          @click="ask({ kind: each, column: undefined, from: undefined })"
        >
          <b>{{ count(data[each]) }}</b> {{ each }}
        </button>
        <span
          ><b>{{ count(data.same) }}</b> the same</span
        >
      </div>
      <p v-if="data.repeated" class="note">
        {{ plural(data.repeated, 'record') }} of the two share their key with another; they are paired in
        their order.
      </p>
      <p v-if="columnsOnly(data)" class="note">
        Columns {{ columnsOnly(data) }}. What only one of the two has is not counted as changed.
      </p>
      <div v-if="total" class="halves" :class="{ alone: kind !== 'changed' }">
        <aside v-if="kind === 'changed'" aria-label="Columns that changed">
          <button type="button" :aria-pressed="!column" @click="ask({ column: undefined, from: undefined })">
            <span>Any column</span><b class="num">{{ count(data.changed) }}</b>
          </button>
          <button
            v-for="each in data.columns"
            :key="each.name"
            type="button"
            :aria-pressed="each.name === column"
            :title="each.name"
            @click="ask({ column: each.name, from: undefined })"
          >
            <span>{{ each.name }}</span><b class="num">{{ count(each.records) }}</b>
          </button>
        </aside>
        <section>
          <StateNote :loading="records.isLoading.value" :error="records.error.value" />
          <ChangedRecords
            v-if="records.data.value"
            :records="records.data.value"
            :changes="data"
            :kind="kind"
            :column="column"
          />
          <p class="pages">
            <span class="soft"
              >{{ count(from + 1) }} to {{ count(Math.min(from + PAGE, total)) }} of {{ count(total) }}</span
            >
            <button
              type="button"
              class="link"
              :disabled="!from"
              @click="ask({ from: from > PAGE ? String(from - PAGE) : undefined })"
            >
              Before
            </button>
            <button
              type="button"
              class="link"
              :disabled="from + PAGE >= total"
              @click="ask({ from: String(from + PAGE) })"
            >
              Next
            </button>
          </p>
        </section>
      </div>
      <StateNote v-else empty="No record was added, is gone or changed." />
    </template>
  </main>
</template>

<style scoped>
.kinds {
  display: flex;
  gap: 20px;
  border-top: 1px solid var(--hair);
  padding: 8px 0;
}
.kinds button,
aside button {
  border: 0;
  padding: 3px 0;
  background: none;
  font: inherit;
  color: var(--link);
  cursor: pointer;
}
.kinds > span {
  padding: 3px 0;
  color: var(--soft);
}
.kinds button:disabled {
  color: var(--soft);
  cursor: default;
}
button[aria-pressed='true'] {
  color: var(--ink);
}
.kinds button[aria-pressed='true'] {
  box-shadow: 0 2px 0 var(--ink);
}
.note {
  padding: 0 0 8px;
  color: var(--soft);
}
.halves {
  display: grid;
  grid-template-columns: 210px minmax(0, 1fr);
  gap: 0 24px;
}
.halves.alone {
  grid-template-columns: minmax(0, 1fr);
}
aside button {
  display: flex;
  justify-content: space-between;
  width: 100%;
  border-bottom: 1px solid var(--hair2);
  padding: 5px 0;
  text-align: left;
}
aside button span {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
aside button b {
  padding-left: 10px;
  font-weight: 400;
}
aside button[aria-pressed='true'] {
  font-weight: 650;
}
.pages button:disabled {
  border-color: transparent;
  color: var(--soft);
  cursor: default;
}
.pages {
  display: flex;
  gap: 16px;
  padding: 10px 0;
}
</style>
