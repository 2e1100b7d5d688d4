<script setup lang="ts">
/** The reasons with their counts. */
import type { Schemas } from '@/api/client'
import { count } from '@/shared'

defineProps<{ overview: Schemas['QuarantineOut']; chosen?: Schemas['ReasonCountOut'] }>()
</script>

<template>
  <nav class="reasons" aria-label="Reasons">
    <h2>Reasons</h2>
    <RouterLink :to="{ query: {} }" :class="{ on: !chosen }"
      ><span>All</span><b>{{ count(overview.total) }}</b></RouterLink
    >
    <RouterLink
      v-for="reason in overview.reasons"
      :key="`${reason.rule} ${reason.name}`"
      :to="{ query: { rule: String(reason.rule), name: reason.name } }"
      :class="{ on: reason === chosen }"
      :title="reason.sentence.map((part) => part.text).join('')"
    >
      <span
        ><em>{{ reason.name }}</em> {{ reason.phrase }}
        <small class="soft">rule {{ reason.rule }}</small></span
      ><b>{{ count(reason.records) }}</b>
    </RouterLink>
  </nav>
</template>

<style scoped>
.reasons {
  width: 250px;
  flex: none;
  border-right: 1px solid var(--hair);
  padding: 0 0 0 20px;
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
  overflow-wrap: anywhere;
}
b {
  font: 500 12px var(--mono);
}
small {
  display: block;
}
</style>
