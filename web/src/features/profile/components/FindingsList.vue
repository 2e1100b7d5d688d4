<script setup lang="ts">
/** All findings of the delivery, worst first, one line each; the chosen one stands beside them. */
import { recordsLink } from '@/features/records'
import { count, keepInSight, plural, StateNote } from '@/shared'
import { computed, useTemplateRef } from 'vue'
import { useRoute } from 'vue-router'
import type { Listed } from '../logic/findings'

const props = defineProps<{ shown: Listed[]; all: Listed[]; chosen: string | undefined }>()
defineEmits<{ choose: [id: string] }>()
const find = defineModel<string>('find', { required: true })
const state = defineModel<string>('state', { required: true })
const severity = defineModel<string>('severity', { required: true })
const route = useRoute()
const table = useTemplateRef<HTMLElement>('table')
keepInSight(table, () => props.chosen)
const left = computed(() => props.all.filter((item) => item.state === 'open').length)
</script>

<template>
  <div class="tools">
    <label class="hidden-label" for="find-finding">Find a finding</label>
    <input id="find-finding" v-model="find" class="field find" placeholder="Column or kind" />
    <label class="hidden-label" for="finding-state">State</label>
    <select id="finding-state" v-model="state" class="field pick">
      <option value="open">open</option>
      <option value="accepted">accepted</option>
      <option value="treated">treated by a rule</option>
      <option value="dismissed">dismissed</option>
      <option value="">all</option>
    </select>
    <label class="hidden-label" for="finding-severity">Severity</label>
    <select id="finding-severity" v-model="severity" class="field pick">
      <option value="">of any severity</option>
      <option value="high">high only</option>
      <option value="middle">high and middle</option>
    </select>
    <span>{{ plural(shown.length, 'finding') }}, {{ count(left) }} open</span>
  </div>
  <table v-if="shown.length" ref="table" class="lines choices">
    <thead>
      <tr>
        <th class="num">Cells</th>
        <th>Column</th>
        <th>What was noticed</th>
        <th>Severity</th>
        <th></th>
      </tr>
    </thead>
    <tbody>
      <tr
        v-for="item in shown"
        :key="item.finding.id"
        :class="{ on: item.finding.id === chosen, done: item.state !== 'open' }"
        @click="$emit('choose', item.finding.id)"
      >
        <td class="num">
          <RouterLink class="door" :to="recordsLink(route, null, item.finding.filters)" @click.stop>{{
            count(item.finding.count)
          }}</RouterLink>
        </td>
        <td class="mono name" :title="item.finding.columns.join(', ')">
          {{ item.finding.columns.slice(0, 2).join(', ') || 'records' }}
        </td>
        <td class="says" :class="item.finding.severity" :title="item.finding.says">
          <button type="button" :aria-pressed="item.finding.id === chosen">{{ item.finding.says }}</button>
        </td>
        <td class="soft">{{ item.finding.severity }}</td>
        <td class="soft">{{ item.state === 'open' ? '' : item.state }}</td>
      </tr>
    </tbody>
  </table>
  <StateNote
    v-else
    :empty="
      all.length
        ? 'No finding fits. Change the search, the state or the severity above.'
        : 'Nothing was noticed in this delivery.'
    "
  />
</template>

<style scoped>
.find {
  width: 130px;
}
.pick {
  width: auto;
  font-family: var(--sans);
}
td.num {
  width: 70px;
  padding-left: 6px;
}
.name {
  max-width: 150px;
  overflow: hidden;
  text-overflow: ellipsis;
}
.says {
  width: 60%;
  max-width: 260px;
}
.says button {
  width: 100%;
  overflow: hidden;
  border: 0;
  padding: 0;
  background: none;
  color: var(--ink);
  font: inherit;
  text-align: left;
  text-overflow: ellipsis;
  cursor: pointer;
}
.says.high button {
  font-weight: 650;
}
.says.low button,
.done .says button {
  color: var(--soft);
  font-weight: 400;
}
</style>
