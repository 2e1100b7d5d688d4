<script setup lang="ts">
/** The released table of a feed: what readers see, which releases it adds up from, how deliveries add up. */
import { api, unwrap } from '@/api/client'
import { usePerson } from '@/features/session'
import { count, minute, plural, StateNote } from '@/shared'
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { useRoute } from 'vue-router'
import AddingUp from '../components/AddingUp.vue'
import ContractGrid from '../components/ContractGrid.vue'
import FeedHeading from '../components/FeedHeading.vue'
import Downloads from '../components/Downloads.vue'
import WithdrawRelease from '../components/WithdrawRelease.vue'
import { changesLink } from '../logic/changes'

const route = useRoute()
const { mayRelease, mayWork } = usePerson()
const slug = computed(() => String(route.params.slug))
const params = computed(() => ({ path: { slug: slug.value } }))
const { data, error, isLoading } = useQuery({
  queryKey: ['released', slug],
  queryFn: () => unwrap(api.GET('/api/feeds/{slug}/released', { params: params.value })),
})
const hides = computed(() => data.value?.adds_up === 'newest')
</script>

<template>
  <main class="page">
    <StateNote :loading="isLoading" :error="error" />
    <template v-if="data">
      <FeedHeading :slug="slug" about="released table" back="feed">
        <span v-if="data.parts.length"
          ><span class="mono view">{{ data.view }}</span>
          <span class="soft"
            >{{ plural(data.records, 'record') }} of
            {{
              data.parts.length === 1 ? 'one delivery' : plural(data.parts.length, 'delivery', 'deliveries')
            }}</span
          ></span
        >
      </FeedHeading>
      <div class="halves">
        <div>
          <section>
            <h2>What it holds</h2>
            <StateNote
              v-if="!data.parts.length"
              empty="Nothing is released, so readers find no view. An approver publishes a delivery in its place Release."
            />
            <table v-else class="lines">
              <thead>
                <tr>
                  <th class="num">Delivery</th>
                  <th class="num">Release</th>
                  <th class="num">Records shown</th>
                  <th v-if="hides" class="num">Replaced by newer</th>
                  <th>Published</th>
                  <th>Files of this release</th>
                  <th><span class="hidden-label">Changes</span></th>
                  <th><span class="hidden-label">Withdraw</span></th>
                </tr>
              </thead>
              <tbody>
                <tr v-for="({ release, records, superseded }, place) in data.parts" :key="release.id">
                  <td class="num">
                    <RouterLink :to="{ name: 'release', params: { id: release.delivery } }">{{
                      release.delivery_number
                    }}</RouterLink>
                  </td>
                  <td class="num">{{ release.number }}</td>
                  <td class="num">{{ count(records) }}</td>
                  <td v-if="hides" class="num">{{ count(superseded) }}</td>
                  <td>
                    <span class="mono">{{ minute(release.published ?? release.asked) }}</span>
                    {{ release.who }}
                  </td>
                  <td><Downloads :release="release.id" /></td>
                  <td>
                    <RouterLink
                      v-if="data.key.length && data.parts[place + 1]"
                      :to="
                        changesLink(slug, { before: data.parts[place + 1]!.release.id, after: release.id })
                      "
                      >Changes</RouterLink
                    >
                  </td>
                  <td><WithdrawRelease v-if="mayRelease" :release="release" /></td>
                </tr>
              </tbody>
            </table>
          </section>
        </div>
        <aside>
          <h2>How deliveries add up</h2>
          <AddingUp :slug="slug" :table="data" :may-release="mayRelease" />
          <p class="on">
            <RouterLink :to="{ name: 'parts', params: { slug } }">Parts for modelling</RouterLink>
            <RouterLink :to="{ name: 'history', params: { slug } }">History of releases</RouterLink>
            <RouterLink :to="{ name: 'lineage', params: { slug } }">Lineage</RouterLink>
          </p>
        </aside>
      </div>
      <section>
        <h2>Contract</h2>
        <ContractGrid :slug="slug" :may-work="mayWork" />
      </section>
    </template>
  </main>
</template>

<style scoped>
.view {
  margin-right: 8px;
}
.halves {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 330px;
  gap: 0 28px;
}
section,
aside {
  margin-bottom: 22px;
  border-top: 1px solid var(--hair);
}
h2 {
  padding: 9px 0 6px;
  font-size: 13px;
  font-weight: 650;
}
.on {
  display: flex;
  gap: 18px;
  margin-top: 8px;
  border-top: 1px solid var(--hair2);
  padding-top: 8px;
}
h2 span {
  font-weight: 400;
}
@media (max-width: 1000px) {
  .halves {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
