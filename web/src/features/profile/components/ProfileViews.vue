<script setup lang="ts">
/** The views of the profile, and which table they look at: as delivered, or as the rules leave it. */
import { afterOf, END, useRuleChoices } from '@/features/delivery'
import { count } from '@/shared'
import { computed } from 'vue'
import { useRoute, useRouter } from 'vue-router'

const props = defineProps<{ view: string; columns: number; findings: number; slug: string }>()
const route = useRoute()
const router = useRouter()
const rules = useRuleChoices(computed(() => props.slug))
const after = computed(() => afterOf(route.query))
const isGone = computed(
  () => after.value && after.value !== END && !rules.value.some((rule) => rule.id === after.value),
)
function choose(event: Event): void {
  const value = (event.target as HTMLSelectElement).value
  const gone = { finding: undefined, records: undefined, where: undefined, look: undefined }
  void router.push({ query: { ...route.query, ...gone, after: value || undefined } })
}
const views = computed(() => [
  { view: 'register', label: 'Columns', note: count(props.columns) },
  { view: 'findings', label: 'Findings', note: props.findings ? count(props.findings) : '' },
  { view: 'variants', label: 'Variants', note: '' },
  { view: 'cross-filter', label: 'Cross-filter', note: '' },
  { view: 'relations', label: 'Relations', note: '' },
  { view: 'suitability', label: 'Suitability', note: '' },
  { view: 'compare', label: 'Compare', note: '' },
  { view: 'checks', label: 'Propose checks', note: '' },
  { view: 'report', label: 'Report', note: '' },
])
const to = (view: string) => ({
  query: {
    ...(route.query.column ? { column: route.query.column } : {}),
    ...(route.query.target ? { target: route.query.target } : {}),
    ...(after.value ? { after: after.value } : {}),
    ...(view === 'register' ? {} : { view }),
  },
})
</script>

<template>
  <nav class="views" aria-label="Views of the profile">
    <RouterLink
      v-for="eachView in views"
      :key="eachView.view"
      :to="to(eachView.view)"
      :class="{ on: view === eachView.view }"
      :aria-current="view === eachView.view"
      >{{ eachView.label }} <small v-if="eachView.note" class="soft">{{ eachView.note }}</small></RouterLink
    >
    <span v-if="rules.length || after" class="table">
      <label for="profile-table">Table</label>
      <select
        id="profile-table"
        class="field"
        :class="{ changed: after }"
        :value="after ?? ''"
        @change="choose"
      >
        <option value="">as delivered</option>
        <option v-for="rule in rules" :key="rule.id" :value="rule.id">
          after rule {{ rule.number }}: {{ rule.words }}
        </option>
        <option :value="END">after all rules</option>
        <option v-if="isGone" :value="after">after a rule that is gone</option>
      </select>
    </span>
  </nav>
</template>

<style scoped>
.views {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 18px;
  align-items: center;
  padding: 6px 20px 4px;
}
a {
  color: var(--press);
  white-space: nowrap;
}
a.on {
  box-shadow: 0 2px 0 var(--ink);
  color: var(--ink);
}
.table {
  display: flex;
  gap: 7px;
  align-items: center;
  margin-left: auto;
  color: var(--soft);
}
.table .field {
  width: 210px;
  font-family: var(--sans);
  text-overflow: ellipsis;
}
.table .changed {
  border-color: var(--ink);
  color: var(--ink);
  font-weight: 550;
}
small {
  font-size: 12px;
}
</style>
