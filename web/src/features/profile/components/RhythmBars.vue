<script setup lang="ts">
/** Dates over years, months, days of the week or hours; each part is a door to its records. */
import type { Schemas } from '@/api/client'
import { count } from '@/shared'
import { computed } from 'vue'
import type { RouteLocationRaw } from 'vue-router'

const props = defineProps<{
  label: string
  parts: Schemas['ValueCount'][]
  name: (value: string) => string
  door: (value: string) => RouteLocationRaw
}>()
const most = computed(() => Math.max(1, ...props.parts.map((part) => part.count)))
</script>

<template>
  <div class="by" role="group" :aria-label="`By ${label}`">
    <div class="parts">
      <RouterLink
        v-for="part in parts"
        :key="part.value"
        :to="door(part.value)"
        :title="`${name(part.value)}: ${count(part.count)}`"
        :aria-label="`${name(part.value)}: ${count(part.count)}`"
        ><i :style="{ height: `${Math.max(4, (100 * part.count) / most)}%` }"></i
      ></RouterLink>
    </div>
    <div class="names mono soft" aria-hidden="true">
      <template v-if="parts.length <= 12">
        <span v-for="part in parts" :key="part.value">{{
          name(part.value).slice(0, parts.length > 8 ? 1 : 4)
        }}</span>
      </template>
      <template v-else>
        <span class="end">{{ name(parts[0]?.value ?? '') }}</span>
        <span class="end">{{ name(parts.at(-1)?.value ?? '') }}</span>
      </template>
    </div>
  </div>
</template>

<style scoped>
.parts {
  display: flex;
  height: 30px;
  border-bottom: 1px solid var(--hair);
}
a {
  display: flex;
  flex: 1;
  align-items: end;
  padding-right: 1px;
}
i {
  flex: 1;
  background: var(--bar);
}
a:hover i,
a:focus-visible i {
  background: var(--press);
}
.names {
  display: flex;
  justify-content: space-between;
  font-size: 10.5px;
}
.names span:not(.end) {
  flex: 1;
  text-align: center;
}
</style>
