<script setup lang="ts">
/** Where a released table comes from, file to release, and what is made from it; by table, and by one column. */
import { api, unwrap } from '@/api/client'
import { FeedHeading } from '@/features/release'
import { useFreshWithWork } from '@/features/work'
import { StateNote } from '@/shared'
import { useQuery } from '@tanstack/vue-query'
import { useResizeObserver } from '@vueuse/core'
import { computed, nextTick, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import FeedBox from '../components/FeedBox.vue'
import TraceBranch from '../components/TraceBranch.vue'
import { branchOf, byDepth, filesOf, isTraced, tracedIn, waysOf, type FeedInLineage } from '../logic/lineage'

const SHOWN_FILES = 8
const route = useRoute()
const router = useRouter()
const slug = computed(() => String(route.params.slug))
const params = computed(() => ({ path: { slug: slug.value } }))
const { data, error, isLoading } = useQuery({
  queryKey: ['lineage', slug],
  queryFn: () => unwrap(api.GET('/api/feeds/{slug}/lineage', { params: params.value })),
})
useFreshWithWork('lineage')
const column = computed(() => String(route.query.column ?? ''))
const traced = useQuery({
  queryKey: ['lineage', slug, column],
  queryFn: () =>
    unwrap(
      api.GET('/api/feeds/{slug}/lineage/column', {
        params: { ...params.value, query: { name: column.value } },
      }),
    ),
  enabled: () => Boolean(column.value),
  retry: false,
})
const lines = computed(() => (column.value ? (traced.data.value ?? []) : []))
const feeds = computed(() => data.value?.feeds ?? [])
const main = computed(() => feeds.value.find((feed) => feed.slug === slug.value))
const names = computed(() => new Map(feeds.value.map((feed) => [feed.slug, feed.name])))
const withFiles = computed(() => feeds.value.filter((feed) => feed.files.length))
const branch = computed(() => branchOf(lines.value))
const waysInto = (feed: FeedInLineage) =>
  (data.value?.ways ?? [])
    .filter((way) => way.target === feed.slug)
    .map(({ source, said, used }) => ({ name: names.value.get(source) ?? source, said, used }))
const heads = (file: number) => tracedIn(lines.value, 'file').filter(({ id }) => id === file)
function trace(event: Event): void {
  const name = (event.target as HTMLSelectElement).value
  void router.replace({ query: name ? { column: name } : {} })
}

/** The lines between boxes, measured where the boxes stand; one that can run straight does. */
const EDGE = 14
const BEND = 40
const drawing = ref<HTMLElement>()
const boxes = new Map<string, HTMLElement>()
const drawn = ref<{ path: string; on: boolean; key: string }[]>([])
const size = ref([0, 0])
function box(name: string, element: unknown): void {
  const found = (element as { $el?: HTMLElement } | null)?.$el ?? (element as HTMLElement | null)
  if (found) boxes.set(name, found)
  else boxes.delete(name)
}
function draw(): void {
  const area = drawing.value?.getBoundingClientRect()
  if (!area || !data.value) return
  size.value = [drawing.value?.scrollWidth ?? 0, drawing.value?.scrollHeight ?? 0]
  const left = (drawing.value?.scrollLeft ?? 0) - area.left
  drawn.value = waysOf(data.value).flatMap((way) => {
    const [from, to] = [
      boxes.get(way.from)?.getBoundingClientRect(),
      boxes.get(way.to)?.getBoundingClientRect(),
    ]
    if (!from || !to) return []
    const [x1, x2] = [from.right + left, to.left + left]
    const y1 = from.top + from.height / 2 - area.top
    const y2 = Math.min(Math.max(y1, to.top - area.top + EDGE), to.bottom - area.top - EDGE)
    return [
      {
        key: `${way.from} to ${way.to}`,
        path: `M${x1} ${y1}C${x1 + BEND} ${y1} ${x2 - BEND} ${y2} ${x2} ${y2}`,
        on: !lines.value.length || isTraced(lines.value, way),
      },
    ]
  })
}
useResizeObserver(drawing, draw)
watch([data, lines], () => void nextTick(draw))
</script>

<template>
  <main class="page">
    <FeedHeading :slug="slug" about="lineage">
      <label v-if="main?.columns.length" class="trace">
        <span class="soft">Trace a column</span>
        <select class="field" :value="column" @change="trace">
          <option value="">none: all tables</option>
          <option v-for="name in main.columns" :key="name" :value="name">{{ name }}</option>
        </select>
      </label>
    </FeedHeading>
    <StateNote :loading="isLoading" :error="error ?? traced.error.value" />
    <div
      v-if="data"
      ref="drawing"
      class="drawing"
      tabindex="0"
      role="region"
      aria-label="From files to releases"
    >
      <svg aria-hidden="true" :width="size[0]" :height="size[1]">
        <path v-for="way in drawn" :key="way.key" :d="way.path" :class="{ off: !way.on }" />
      </svg>
      <div v-if="withFiles.length" class="rank">
        <p class="head soft">Source files</p>
        <article
          v-for="feed in withFiles"
          :key="feed.slug"
          :ref="(element) => box(filesOf(feed.slug), element)"
          class="files"
        >
          <h2>{{ feed.name }}</h2>
          <ul>
            <li v-for="file in feed.files.slice(0, SHOWN_FILES)" :key="file.id">
              <span class="mono">{{ file.name }}</span>
              <span class="soft">{{ ` delivery ${file.delivery}` }}</span>
              <span v-for="head in heads(file.id)" :key="head.column" class="mono head-of">{{
                head.column
              }}</span>
            </li>
            <li v-if="feed.files.length + feed.more_files > SHOWN_FILES" class="soft">
              and {{ feed.files.length + feed.more_files - SHOWN_FILES }} more
            </li>
          </ul>
        </article>
      </div>
      <div v-for="(rank, depth) in byDepth(feeds)" :key="depth" class="rank">
        <p class="head soft">{{ depth ? 'Made from releases' : 'Delivered and released' }}</p>
        <FeedBox
          v-for="feed in rank"
          :key="feed.slug"
          :ref="(element) => box(feed.slug, element)"
          :feed="feed"
          :is-main="feed.slug === slug"
          :ways="waysInto(feed)"
          :lines="lines"
        />
      </div>
    </div>
    <section v-if="branch" class="tree">
      <h2>Where {{ column }} comes from</h2>
      <ul>
        <TraceBranch :branch="branch" :names="names" />
      </ul>
      <p class="soft">
        Read from the rules and steps of the releases that it was made of; where releases add up, of the
        newest. Columns that only decide which records stay or belong together are not named.
      </p>
    </section>
  </main>
</template>

<style scoped>
.trace {
  display: flex;
  gap: 8px;
  align-items: baseline;
}
.trace select {
  width: 200px;
}
.drawing {
  position: relative;
  display: flex;
  gap: 64px;
  align-items: stretch;
  border-top: 1px solid var(--hair);
  overflow-x: auto;
  padding: 8px 2px 14px;
}
svg {
  position: absolute;
  top: 0;
  left: 0;
  pointer-events: none;
}
path {
  fill: none;
  stroke: var(--bar);
  stroke-width: 1.5;
}
path.off {
  stroke: var(--bar2);
  stroke-dasharray: 2 4;
}
.rank {
  display: flex;
  flex: 1 0 210px;
  flex-direction: column;
  gap: 14px;
  max-width: 300px;
}
.head {
  font-size: 12px;
}
.files {
  border: 1px solid var(--hair);
  padding: 8px 10px;
  background: var(--sheet);
}
.files h2,
.tree h2 {
  font-size: 13px;
  font-weight: 650;
}
ul {
  margin: 0;
  padding: 0;
  list-style: none;
}
li .mono {
  overflow-wrap: anywhere;
}
.head-of {
  display: block;
  border-left: 2px solid var(--press);
  padding-left: 6px;
}
.tree {
  border-top: 1px solid var(--hair);
  padding-top: 8px;
}
.tree > ul {
  margin: 4px 0 8px;
}
</style>
