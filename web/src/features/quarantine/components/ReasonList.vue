<script setup lang="ts">
/** What the cases are there for: reasons, sources and owners with their counts, each a filter. */
import type { Schemas } from '@/api/client'
import { count, minute } from '@/shared'
import { computed } from 'vue'
import { useRoute } from 'vue-router'

const props = defineProps<{ counts: Schemas['CountsOut']; files: string[]; all: number }>()
const route = useRoute()
const reasonOf = (reason: Schemas['ReasonCountOut']) => ({
  rule: String(reason.rule),
  name: reason.name,
  phrase: reason.phrase,
})
const FILTERS = ['rule', 'file', 'owner', 'text', 'overdue', 'returned', 'since']
const isOn = (asked: Record<string, string>) =>
  Object.entries(asked).every(([name, value]) => route.query[name] === value)
/** The address with some entries put in, or taken off where they are there already. */
function toggled(asked: Record<string, string>) {
  const kept = Object.entries(route.query).filter(([name]) => !(name in asked) && name !== 'record')
  return { query: Object.fromEntries(isOn(asked) ? kept : [...kept, ...Object.entries(asked)]) }
}
const without = computed(() => ({
  query: Object.fromEntries(
    Object.entries(route.query).filter(
      ([name]) => !FILTERS.includes(name) && !['name', 'phrase', 'record'].includes(name),
    ),
  ),
}))
const isAll = computed(() => !FILTERS.some((name) => route.query[name] !== undefined))
const sources = computed(() => (props.files.length > 1 ? props.counts.files : []))
/** Runs whose cases wait still, the oldest first: where there is one only, it tells nothing apart. */
const runs = computed(() =>
  props.counts.runs.length > 1 || route.query.since !== undefined ? props.counts.runs : [],
)
const owners = computed(() => (props.counts.owners.some((one) => one.owner) ? props.counts.owners : []))
</script>

<template>
  <nav class="reasons" aria-label="Reasons">
    <h2>Reasons</h2>
    <RouterLink :to="without" :class="{ on: isAll }"
      ><span>All</span><b>{{ count(all) }}</b></RouterLink
    >
    <RouterLink
      v-for="reason in counts.reasons"
      :key="`${reason.rule} ${reason.name} ${reason.phrase}`"
      :to="toggled(reasonOf(reason))"
      :class="{ on: isOn(reasonOf(reason)) }"
      :title="reason.sentence.map((part) => part.text).join('')"
    >
      <span
        ><em>{{ reason.name }}</em> {{ reason.phrase }}
        <small class="soft">{{ reason.rule ? `rule ${reason.rule}` : 'typed by hand' }}</small></span
      ><b>{{ count(reason.records) }}</b>
    </RouterLink>
    <template v-if="sources.length">
      <h2>Source files</h2>
      <RouterLink
        v-for="source in sources"
        :key="source.file"
        :to="toggled({ file: String(source.file) })"
        :class="{ on: isOn({ file: String(source.file) }) }"
      >
        <span class="name">{{ files[source.file] ?? 'made by rules' }}</span><b>{{
          count(source.records)
        }}</b>
      </RouterLink>
    </template>
    <template v-if="counts.with_supplier">
      <h2>Returned</h2>
      <RouterLink :to="toggled({ returned: 'yes' })" :class="{ on: isOn({ returned: 'yes' }) }">
        <span>with the supplier</span><b>{{ count(counts.with_supplier) }}</b>
      </RouterLink>
    </template>
    <template v-if="runs.length">
      <h2>Waiting since</h2>
      <RouterLink
        v-for="run in runs"
        :key="run.run"
        :to="toggled({ since: String(run.run) })"
        :class="{ on: isOn({ since: String(run.run) }) }"
      >
        <span>{{ run.since ? minute(run.since) : '' }}</span><b>{{ count(run.records) }}</b>
      </RouterLink>
    </template>
    <template v-if="counts.overdue || route.query.overdue">
      <h2>Due</h2>
      <RouterLink :to="toggled({ overdue: 'yes' })" :class="{ on: isOn({ overdue: 'yes' }) }">
        <span>day is past</span><b>{{ count(counts.overdue) }}</b>
      </RouterLink>
    </template>
    <template v-if="owners.length">
      <h2>Owners</h2>
      <RouterLink
        v-for="one in owners"
        :key="one.owner"
        :to="toggled({ owner: String(one.owner) })"
        :class="{ on: isOn({ owner: String(one.owner) }) }"
      >
        <span>{{ one.name || 'nobody' }}</span><b>{{ count(one.records) }}</b>
      </RouterLink>
    </template>
  </nav>
</template>

<style scoped>
.reasons {
  width: 230px;
  flex: none;
  border-right: 1px solid var(--hair);
  padding: 0 0 12px 20px;
  overflow: auto;
}
h2 {
  padding: 11px 0 6px;
  color: var(--soft);
  font-size: 12px;
  font-weight: 500;
}
a {
  display: flex;
  gap: 10px;
  justify-content: space-between;
  border-bottom: 1px solid var(--hair2);
  padding: 6px 14px 6px 8px;
  color: var(--ink);
}
a:hover {
  background: var(--hair2);
  text-decoration: none;
}
a.on {
  background: var(--wash);
  box-shadow: inset 3px 0 0 var(--ink);
}
em {
  font: 550 12.5px var(--mono);
}
em,
.name {
  overflow-wrap: anywhere;
}
b {
  font: 500 12px var(--mono);
}
small {
  display: block;
}
</style>
