<script setup lang="ts">
/** Parts for modelling: how a feed's released table is divided, and the parts as files. */
import { api, unwrap } from '@/api/client'
import { useAddress } from '@/app/address'
import { usePerson } from '@/features/session'
import { minute, StateNote } from '@/shared'
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed } from 'vue'
import { useRoute } from 'vue-router'
import FeedHeading from '../components/FeedHeading.vue'
import DivideForm from '../components/DivideForm.vue'
import DivisionReport from '../components/DivisionReport.vue'
import { sentenceOf, type Division } from '../logic/division'

const route = useRoute()
const queries = useQueryClient()
const { query, ask } = useAddress()
const { mayWork } = usePerson()
const slug = computed(() => String(route.params.slug))
const params = computed(() => ({ path: { slug: slug.value } }))
const { data, error, isLoading } = useQuery({
  queryKey: ['divisions', slug],
  queryFn: () => unwrap(api.GET('/api/feeds/{slug}/divisions', { params: params.value })),
})
const shown = computed(
  () =>
    data.value?.divisions.find((each) => each.number === Number(query.value.division)) ??
    data.value?.divisions[0],
)
const refresh = () => queries.invalidateQueries({ queryKey: ['divisions'] })
async function made(division: Division): Promise<void> {
  await refresh()
  await ask({ division: String(division.number) })
}
const end = useMutation({
  mutationFn: (division: Division) =>
    unwrap(api.DELETE('/api/divisions/{division_id}', { params: { path: { division_id: division.id } } })),
  onSuccess: async () => {
    await ask({ division: undefined })
    await refresh()
  },
})
</script>

<template>
  <main class="page">
    <FeedHeading :slug="slug" about="parts for modelling">
      <span class="soft">a record lies in the same part in every release, while what divides it stays</span>
    </FeedHeading>
    <StateNote :loading="isLoading" :error="error" />
    <div v-if="data" class="halves">
      <div>
        <StateNote
          v-if="!data.columns.length"
          empty="Nothing is released, so there is nothing to divide. An approver publishes a delivery in its place Release."
        />
        <StateNote
          v-else-if="!shown"
          empty="The table is not divided yet. Say beside how large the parts are and what they are divided by."
        />
        <section v-else>
          <div v-if="data.divisions.length > 1" class="kinds" role="group" aria-label="Divisions">
            <button
              v-for="each in data.divisions"
              :key="each.id"
              type="button"
              class="link"
              :aria-pressed="each.id === shown.id"
              @click="ask({ division: String(each.number) })"
            >
              Division {{ each.number }}
            </button>
          </div>
          <h2>Division {{ shown.number }}</h2>
          <p>
            Divided by {{ sentenceOf(shown) }}.
            <span class="soft">{{ shown.who }}, {{ minute(shown.at) }}</span>
            <button
              v-if="mayWork"
              type="button"
              class="link end"
              :disabled="end.isPending.value"
              @click="end.mutate(shown)"
            >
              End this division
            </button>
          </p>
          <DivisionReport v-if="data.columns.length" :key="shown.id" :division="shown" />
          <StateNote :error="end.error.value" />
        </section>
      </div>
      <aside v-if="mayWork && data.columns.length">
        <h2>Divide the table</h2>
        <DivideForm :slug="slug" :columns="data.columns" :key-columns="data.key" @made="made" />
      </aside>
    </div>
  </main>
</template>

<style scoped>
.halves {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 330px;
  gap: 0 28px;
  border-top: 1px solid var(--hair);
}
h2 {
  padding: 9px 0 6px;
  font-size: 13px;
  font-weight: 650;
}
section p {
  padding: 0 0 10px;
}
.kinds {
  display: flex;
  gap: 16px;
  padding: 9px 0 0;
}
.kinds [aria-pressed='true'] {
  border-color: transparent;
  color: var(--ink);
  font-weight: 650;
}
.end {
  margin-left: 10px;
}
@media (max-width: 1000px) {
  .halves {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
