<script setup lang="ts">
/** How the columns go together: a square of strengths, and beside it the chosen column or pair. */
import { useAddress } from '@/app/address'
import type { Schemas } from '@/api/client'
import { count, StateNote } from '@/shared'
import { computed, ref, toRef } from 'vue'
import { alikeTogether, square, useRelations } from '../logic/relations'
import { useSettled } from '../logic/settled'
import PredictorList from './PredictorList.vue'
import RelationPartners from './RelationPartners.vue'
import RelationsSquare from './RelationsSquare.vue'

const props = defineProps<{ id: number; profile: Schemas['Profile'] }>()
const { query, ask } = useAddress()
const { kept, target } = useSettled(toRef(props, 'id'))
const exact = computed(() => query.value.exact === '1')
const relations = useRelations(
  toRef(props, 'id'),
  computed(() => (kept.isPending.value ? undefined : props.profile)),
  target,
  exact,
)
const order = ref<'alike' | 'table'>('alike')
const of = ref<'strength' | 'missing'>('strength')
const names = computed(() => relations.data.value?.columns.map((column) => column.name) ?? [])
const cells = computed(() =>
  square(
    (of.value === 'missing' ? relations.data.value?.missing : relations.data.value?.pairs) ?? [],
    names.value.length,
  ),
)
const shown = computed(() => {
  const every = order.value === 'alike' ? alikeTogether(cells.value) : cells.value.map((_, at) => at)
  return every.filter((at) => cells.value[at]!.some(Boolean))
})
const hover = ref<[number, number]>()
function choose(column: string | undefined, other?: string): void {
  ask({ column, other: other === column ? undefined : other })
}
const chosen = computed(() => {
  const asked = names.value.indexOf(String(query.value.column))
  return asked >= 0 ? asked : (shown.value[0] ?? -1)
})
const other = computed(() => names.value.indexOf(String(query.value.other ?? '')))
function say(name: 'target' | 'exact', value: string): void {
  ask({ [name]: value || (name === 'target' ? '' : undefined) }) // no target is a choice, where the feed has one
}
const typed = (event: Event) => (event.target as HTMLSelectElement).value
const left = computed(() => relations.data.value?.columns.filter((column) => column.why_not) ?? [])
</script>

<template>
  <section class="register" tabindex="0" aria-label="Relations between columns">
    <div class="tools">
      <label for="relation-of">Show</label>
      <select id="relation-of" v-model="of" class="field pick">
        <option value="strength">strength of association</option>
        <option value="missing">missing together</option>
      </select>
      <label for="relation-order">in the order</label>
      <select id="relation-order" v-model="order" class="field pick">
        <option value="alike">alike together</option>
        <option value="table">of the table</option>
      </select>
      <span v-if="relations.data.value" class="soft">
        <template v-if="relations.data.value.compared < relations.data.value.records"
          >≈ over {{ count(relations.data.value.compared) }} of
          {{ count(relations.data.value.records) }} records at even distances
          <button type="button" class="link" @click="say('exact', '1')">Compare all</button></template
        >
        <template v-else>over all {{ count(relations.data.value.records) }} records</template>
      </span>
    </div>
    <StateNote :loading="relations.busy.value" :error="relations.error.value" />
    <p v-if="relations.busy.value" class="soft" role="status">
      Comparing every column with every other, {{ Math.round(100 * relations.share.value) }} %
    </p>
    <template v-if="relations.data.value">
      <p class="soft key">
        The side of a square is the strength, from 0 to 1; hollow where one falls as the other rises.
        {{
          relations.data.value.left_out
            ? `${count(relations.data.value.left_out)} columns beyond 300 are left out.`
            : ''
        }}
      </p>
      <StateNote
        v-if="!shown.length"
        :empty="of === 'missing' ? 'No two columns are missing together.' : 'No two columns can be compared.'"
      />
      <RelationsSquare
        v-else
        v-model:hover="hover"
        :cells="cells"
        :names="names"
        :shown="shown"
        :chosen="chosen"
        :other="other"
        @choose="(row, column) => choose(names[row], names[column])"
      />
      <p v-if="left.length" class="soft out">
        Not compared:
        <span v-for="(item, i) in left" :key="item.name"
          >{{ i ? ', ' : '' }}<span class="mono">{{ item.name }}</span> ({{ item.why_not }})</span
        >
      </p>
    </template>
  </section>
  <aside class="sheet" tabindex="0" aria-label="Relations of the chosen column">
    <RelationPartners
      v-if="relations.data.value && names[chosen]"
      :cells="cells"
      :names="names"
      :chosen="chosen"
      :other="other"
      :hover="hover"
      :is-missing="of === 'missing'"
    />
    <h3><label for="target">Predictors of</label></h3>
    <select id="target" class="field mono" :value="target" @change="say('target', typed($event))">
      <option value="">choose a target column</option>
      <option v-for="column in profile.columns" :key="column.name">{{ column.name }}</option>
    </select>
    <PredictorList
      v-if="target && relations.data.value"
      :target="target"
      :columns="relations.data.value.foretold"
    />
  </aside>
</template>

<style scoped>
.pick {
  width: auto;
  font-family: var(--sans);
}
.key {
  padding: 0 0 8px;
}
.out {
  max-width: 800px;
  padding: 10px 0 20px;
}
h3 {
  margin: 16px 0 4px;
  border-top: 1px solid var(--ink);
  padding-top: 8px;
  font-size: 13px;
  font-weight: 650;
}
</style>
