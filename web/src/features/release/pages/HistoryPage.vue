<script setup lang="ts">
/** The releases of a feed in time: their balances, who answers for them, and any two compared. */
import { api, unwrap, type Schemas } from '@/api/client'
import { usePerson } from '@/features/session'
import { BalanceBar, bytes, count, minute, StateNote } from '@/shared'
import { useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { useRoute } from 'vue-router'
import FeedHeading from '../components/FeedHeading.vue'
import WithdrawRelease from '../components/WithdrawRelease.vue'
import { changesLink } from '../logic/changes'
import { signed } from '../logic/history'

type Line = Schemas['HistoryLine']
const route = useRoute()
const { mayRelease } = usePerson()
const slug = computed(() => String(route.params.slug))
const params = computed(() => ({ path: { slug: slug.value } }))
const { data, error, isLoading } = useQuery({
  queryKey: ['history', slug],
  queryFn: () => unwrap(api.GET('/api/feeds/{slug}/releases', { params: params.value })),
})
const most = computed(() => Math.max(1, ...(data.value ?? []).map((line) => line.balance.delivered)))
const chosen = ref<number[]>([])
const sides = computed(() => {
  const [first, second] = [...chosen.value].sort((a, b) => a - b)
  return first && second ? { before: first, after: second } : undefined
})
const stateOf = ({ release }: Line) =>
  release.replaced_by ? `replaced by release ${release.replaced_by}` : release.state
function choose(id: number): void {
  chosen.value = chosen.value.includes(id)
    ? chosen.value.filter((each) => each !== id)
    : [...chosen.value.slice(-1), id]
}
</script>

<template>
  <main class="page">
    <FeedHeading :slug="slug" about="history of releases">
      <span v-if="data?.length" class="soft">
        <RouterLink v-if="sides" :to="changesLink(slug, sides)">What changed between the two</RouterLink>
        <template v-else>choose two releases to compare them</template>
      </span>
    </FeedHeading>
    <StateNote
      :loading="isLoading"
      :error="error"
      :empty="data?.length === 0 ? 'Nothing was released of this feed yet.' : ''"
    />
    <table v-if="data?.length" class="lines">
      <thead>
        <tr>
          <th><span class="hidden-label">Compare</span></th>
          <th class="num">Release</th>
          <th class="num">Delivery</th>
          <th class="track">From delivered to ready</th>
          <th class="num">Records</th>
          <th class="num" title="Against the release published before">Difference</th>
          <th class="num">Columns</th>
          <th class="num">Size</th>
          <th>State</th>
          <th>By</th>
          <th><span class="hidden-label">Withdraw</span></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="line in data" :key="line.release.id" :class="{ past: stateOf(line) !== 'published' }">
          <td>
            <input
              type="checkbox"
              :checked="chosen.includes(line.release.id)"
              :aria-label="`Compare release ${line.release.number}`"
              @change="choose(line.release.id)"
            />
          </td>
          <td class="num">{{ line.release.number }}</td>
          <td class="num">
            <RouterLink :to="{ name: 'release', params: { id: line.release.delivery } }">{{
              line.release.delivery_number
            }}</RouterLink>
          </td>
          <td class="track">
            <BalanceBar
              :balance="line.balance"
              :height="10"
              :style="{ width: `${(100 * line.balance.delivered) / most}%` }"
            />
          </td>
          <td class="num">{{ count(line.release.records) }}</td>
          <td class="num">{{ line.more === null ? '' : signed(line.more) }}</td>
          <td class="num">{{ count(line.columns) }}</td>
          <td class="num">{{ bytes(line.bytes) }}</td>
          <td>
            {{ stateOf(line) }}
            <small v-if="line.withdrawn_why" class="soft">{{ line.withdrawn_why }}</small>
          </td>
          <td>
            {{ line.release.who }}
            <span class="mono">{{ minute(line.release.published ?? line.release.asked) }}</span>
            <small v-if="line.proposed_by" class="soft"
              >{{ line.proposed_by }}: {{ line.word || 'proposed' }}</small
            >
            <small v-if="line.approval" class="soft">{{ line.release.who }}: {{ line.approval }}</small>
          </td>
          <td>
            <WithdrawRelease
              v-if="mayRelease && line.release.state === 'published'"
              :release="line.release"
            />
          </td>
        </tr>
      </tbody>
    </table>
  </main>
</template>

<style scoped>
.track {
  width: 24%;
}
.past .track {
  opacity: 0.45;
}
small {
  display: block;
  max-width: 44ch;
  overflow-wrap: anywhere;
}
</style>
