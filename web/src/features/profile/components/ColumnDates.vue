<script setup lang="ts">
/** A column as dates: the first and the last, how they lie over years, months, days and hours, and how they are written. */
import type { Schemas } from '@/api/client'
import type { Filter } from '@/features/records'
import { count } from '@/shared'
import { computed } from 'vue'
import type { RouteLocationRaw } from 'vue-router'
import { partDoor } from '../logic/bars'
import { partName, rhythmsOf } from '../logic/measures'
import RhythmBars from './RhythmBars.vue'
import StatList from './StatList.vue'

const props = defineProps<{
  column: Schemas['ColumnProfile']
  of: NonNullable<Schemas['ColumnProfile']['dates']>
  rows: { label: string; value: string; to?: RouteLocationRaw }[]
  door: (filters: Filter[]) => RouteLocationRaw
}>()
const rhythms = computed(() => rhythmsOf(props.column))
</script>

<template>
  <h3>
    As dates <span class="mono">{{ count(of.count) }}</span>
  </h3>
  <StatList :rows="rows" />
  <dl v-if="rhythms.length" class="rhythm">
    <template v-for="[part, parts] in rhythms" :key="part">
      <dt>{{ part }}</dt>
      <dd>
        <RhythmBars
          :label="part"
          :parts="parts"
          :name="(value) => partName(part, value)"
          :door="(value) => door(partDoor(column, part, value))"
        />
      </dd>
    </template>
  </dl>
  <p>
    <span class="soft">Written as </span>
    <template v-for="(form, i) in of.formats" :key="form.value"
      >{{ i ? ', ' : '' }}<span class="mono">{{ form.value }}</span>
      <span class="mono soft times">{{ count(form.count) }}</span></template
    >
  </p>
</template>

<style scoped>
h3 {
  margin: 13px 0 4px;
  color: var(--soft);
  font-size: 12px;
  font-weight: 500;
}
.rhythm {
  display: grid;
  grid-template-columns: 52px 1fr;
  gap: 3px 8px;
  margin: 6px 0;
}
.rhythm dt {
  color: var(--soft);
  font-size: 12px;
}
.rhythm dd {
  margin: 0;
}
.times {
  margin-left: 6px;
}
</style>
