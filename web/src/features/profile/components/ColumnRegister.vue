<script setup lang="ts">
/** A line for each column of the table; the chosen one stands beside it as a sheet. */
import type { Schemas } from '@/api/client'
import { recordsLink } from '@/features/records'
import { count, keepInSight, MiniBars, plural, share, StateNote } from '@/shared'
import { useTemplateRef } from 'vue'
import { useRoute } from 'vue-router'
import { brief } from '../logic/findings'
import { missingIn } from '../logic/measures'
import type { Line, Order } from '../logic/register'

const props = defineProps<{
  profile: Schemas['Profile']
  lines: Line[]
  chosen: string | undefined
  masked: string[]
}>()
defineEmits<{ choose: [name: string] }>()
const find = defineModel<string>('find', { required: true })
const order = defineModel<Order>('order', { required: true })
const onlyMarked = defineModel<boolean>('onlyMarked', { required: true })
const route = useRoute()
const present = (column: Line['column']): number => props.profile.records - missingIn(column)
const table = useTemplateRef<HTMLElement>('table')
keepInSight(table, () => props.chosen)
</script>

<template>
  <section class="register" tabindex="0" aria-label="Columns">
    <div class="tools">
      <label class="hidden-label" for="find-column">Find a column</label>
      <input id="find-column" v-model="find" class="field find" placeholder="Find a column" />
      <span>{{ plural(lines.length, 'column') }}</span>
      <label class="hidden-label" for="order-columns">Order</label>
      <select id="order-columns" v-model="order" class="field order">
        <option value="table">in table order</option>
        <option value="worst">worst first</option>
        <option value="role">by role</option>
      </select>
      <label class="check"><input v-model="onlyMarked" type="checkbox" /> with findings</label>
      <span class="facts">
        <RouterLink class="door" :to="recordsLink(route, null, [{ on: 'any missing' }])"
          >{{ count(profile.missing_cells) }} missing</RouterLink
        >
        <RouterLink class="door" :to="recordsLink(route, null, [{ on: 'repeated' }])"
          >{{ count(profile.duplicate_records) }} repeated</RouterLink
        >
      </span>
    </div>
    <table ref="table" class="lines choices">
      <thead>
        <tr>
          <th class="num">#</th>
          <th>Column</th>
          <th>Type and role</th>
          <th>Filled</th>
          <th class="num">Distinct</th>
          <th>Distribution</th>
          <th>Typical</th>
          <th>Findings</th>
        </tr>
      </thead>
      <tbody>
        <tr
          v-for="{ column, findings } in lines"
          :key="column.name"
          :class="{ on: column.name === chosen }"
          @click="$emit('choose', column.name)"
        >
          <td class="num soft">{{ column.position }}</td>
          <td class="name">
            <button type="button" :title="column.name" :aria-pressed="column.name === chosen">
              {{ column.name }}
            </button>
          </td>
          <td>{{ column.type }}, {{ column.role }}</td>
          <td>
            <span class="fill"
              ><u :style="{ width: `${(100 * present(column)) / (profile.records || 1)}%` }"></u
            ></span>
            <span class="mono soft">{{ share(present(column), profile.records) }}</span>
          </td>
          <td class="num">{{ count(column.distinct) }}</td>
          <td>
            <MiniBars
              :counts="column.distribution.bins.map((bin) => bin.count)"
              :outer="column.distribution.bins.map((bin) => bin.outer ?? false)"
              :width="56"
            />
          </td>
          <td class="mono typical" :title="column.values[0]?.value">
            {{ column.values[0]?.value ?? (masked.includes(column.name) ? '•••' : '') }}
          </td>
          <td class="remark" :title="findings.map(({ finding }) => finding.says).join('\n')">
            <template v-if="findings[0]">
              <span v-if="!findings[0].finding.filters?.length">{{ brief(findings[0].finding) }}</span>
              <RouterLink
                v-else
                class="door"
                :class="{ strong: findings[0].finding.severity !== 'low' }"
                :to="recordsLink(route, null, findings[0].finding.filters)"
                @click.stop
                >{{ brief(findings[0].finding) }}</RouterLink
              >
              <span v-if="findings.length > 1" class="soft more">+{{ findings.length - 1 }}</span>
            </template>
          </td>
        </tr>
      </tbody>
    </table>
    <StateNote
      v-if="!lines.length && !profile.awaited"
      empty="No column fits. Clear the search, or show columns without findings too."
    />
  </section>
</template>

<style scoped>
.find {
  width: 108px;
}
.order {
  width: auto;
  font-family: var(--sans);
}
.check {
  display: flex;
  gap: 5px;
  align-items: center;
}
.facts {
  display: flex;
  gap: 15px;
  margin-left: auto;
}
.num + td,
.num + th {
  padding-left: 0 !important;
}
td.num:first-child {
  width: 32px;
  padding-left: 6px;
}
.fill {
  display: inline-block;
  width: 30px;
  height: 3px;
  margin-right: 5px;
  background: var(--hair);
  vertical-align: middle;
}
u {
  display: block;
  height: 3px;
  background: var(--ink);
}
.typical {
  max-width: 88px;
  overflow: hidden;
  text-overflow: ellipsis;
}
.remark {
  width: 30%;
  max-width: 120px;
  overflow: hidden;
  text-overflow: ellipsis;
}
.door {
  color: var(--ink);
}
.remark .door {
  display: inline-block;
  max-width: calc(100% - 28px);
  overflow: hidden;
  text-overflow: ellipsis;
  vertical-align: bottom;
}
.more {
  margin-left: 6px;
}
.strong {
  font-weight: 650;
}
</style>
