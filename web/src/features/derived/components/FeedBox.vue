<script setup lang="ts">
/** A feed in the lineage: what is released of it, by which rules, and how it is made from others. */
import { count, plural } from '@/shared'
import { computed } from 'vue'
import { tracedIn, type FeedInLineage, type Line } from '../logic/lineage'

const props = defineProps<{
  feed: FeedInLineage
  isMain: boolean
  ways: { name: string; said: string[]; used: number[] }[]
  /** the places of the traced column; empty when none is */
  lines: Line[]
}>()
const RELEASES = 4
/** The releases that it was made of, by number. */
const used = (numbers: number[]): string =>
  numbers.length > RELEASES
    ? plural(numbers.length, 'release')
    : numbers.length
      ? `release ${numbers.join(', ')}`
      : ''
const traced = computed(() =>
  (['delivered', 'released'] as const)
    .map((at) => ({ at, places: tracedIn(props.lines, at, props.feed.slug) }))
    .filter(({ places }) => places.length),
)
</script>

<template>
  <article :class="{ main: isMain }">
    <h2>
      <RouterLink :to="{ name: 'released', params: { slug: feed.slug } }">{{ feed.name }}</RouterLink>
    </h2>
    <p v-if="feed.view" class="mono">{{ feed.view }}</p>
    <p v-if="feed.releases.length">{{ plural(feed.records, 'record') }}</p>
    <p v-else class="soft">nothing released yet</p>
    <p v-for="way in ways" :key="way.name" class="way">
      <b>{{ way.name }}</b> {{ used(way.used) }}
      <span class="soft">{{ way.said.join('; ') }}</span>
    </p>
    <ul v-if="feed.releases.length">
      <li v-for="release in feed.releases.slice(0, RELEASES)" :key="release.number">
        <RouterLink :to="{ name: 'release', params: { id: release.delivery_id } }"
          >Release {{ release.number }}</RouterLink
        >
        <span class="soft">{{
          ` delivery ${release.delivery}, ${release.rules ? `${plural(release.rules, 'rule')} of revision ${release.revision}` : 'no rules'}`
        }}</span>
      </li>
      <li v-if="feed.releases.length > RELEASES" class="soft">
        and {{ count(feed.releases.length - RELEASES) }} earlier
      </li>
    </ul>
    <p v-if="feed.is_derived && !feed.is_current" class="old">
      Older than its sources or steps; {{ feed.said || 'it is not made anew yet' }}.
    </p>
    <dl v-if="traced.length">
      <template v-for="{ at, places } in traced" :key="at">
        <dt>{{ at === 'delivered' ? 'as delivered' : at }}</dt>
        <dd v-for="place in places" :key="place.column" class="mono">
          {{ place.column }}
        </dd>
      </template>
    </dl>
  </article>
</template>

<style scoped>
article {
  border: 1px solid var(--hair);
  padding: 8px 10px;
  background: var(--sheet);
}
article.main {
  border-color: var(--ink);
}
h2 {
  font-size: 13px;
  font-weight: 650;
}
.mono {
  overflow-wrap: anywhere;
}
.way {
  margin-top: 3px;
  border-top: 1px solid var(--hair2);
  padding-top: 3px;
}
.way b {
  font-weight: 550;
}
ul {
  margin: 5px 0 0;
  border-top: 1px solid var(--hair2);
  padding: 4px 0 0;
  list-style: none;
}
.old {
  margin-top: 4px;
  font-weight: 550;
}
dl {
  display: grid;
  grid-template-columns: auto minmax(0, 1fr);
  gap: 0 8px;
  margin: 5px 0 0;
  border-top: 1px solid var(--press);
  padding-top: 4px;
}
dt {
  grid-column: 1;
  color: var(--soft);
}
dd {
  grid-column: 2;
  margin: 0;
}
</style>
