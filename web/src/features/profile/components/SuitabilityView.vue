<script setup lang="ts">
/** How fit each column is for a model: limits to move, what falls out under them and why, and what hands decide. */
import type { Schemas } from '@/api/client'
import { recordsLink } from '@/features/records'
import { usePerson } from '@/features/session'
import { count, minute, plural, share, StateNote } from '@/shared'
import { computed, ref, toRef } from 'vue'
import { useRoute } from 'vue-router'
import { suitability, two, useRelations, type Fitness } from '../logic/relations'
import { LIMITS, otherThanRule, useSettled, type Part } from '../logic/settled'

const props = defineProps<{ id: number; profile: Schemas['Profile'] }>()
const route = useRoute()
const { mayWork } = usePerson()
const { kept, target, percent, limits, parts, say, decide, settle } = useSettled(toRef(props, 'id'))
const relations = useRelations(
  toRef(props, 'id'),
  computed(() => (kept.isPending.value ? undefined : props.profile)),
  target,
  ref(false),
)
const judged = computed(() => suitability(props.profile, relations.data.value, target.value, limits.value))
const falls = (fitness: Fitness) =>
  fitness.column.name !== target.value &&
  (parts.value[fitness.column.name] === 'excluded' ||
    (fitness.reasons.length > 0 && parts.value[fitness.column.name] !== 'input'))
const out = computed(() => judged.value.filter(falls))
const other = computed(() =>
  otherThanRule(
    out.value.map((item) => item.column.name),
    kept.data.value?.excluded ?? [],
  ),
)
const differs = computed(() => other.value.more.length + other.value.less.length > 0)
const hasRule = computed(() => Boolean(kept.data.value?.excluded.length))
const action = computed(() => {
  if (!out.value.length) return 'Remove the rule'
  if (!hasRule.value) return `Add the rule that drops ${plural(out.value.length, 'column')}`
  return differs.value ? `Change the rule to ${plural(out.value.length, 'column')}` : 'Keep these settings'
})
const find = ref('')
const order = ref<'out' | 'table' | 'skill'>('out')
const shown = computed(() => {
  const word = find.value.toLowerCase()
  const rows = judged.value.filter((item) => item.column.name.toLowerCase().includes(word))
  if (order.value === 'out')
    rows.sort(
      (a, b) =>
        Number(falls(b)) - Number(falls(a)) ||
        b.reasons.length - a.reasons.length ||
        b.remarks.length - a.remarks.length,
    )
  if (order.value === 'skill') rows.sort((a, b) => (b.skill ?? -1) - (a.skill ?? -1))
  return rows
})
const typed = (event: Event) => (event.target as HTMLInputElement | HTMLSelectElement).value
</script>

<template>
  <section class="register" tabindex="0" aria-label="Suitability for modelling">
    <div class="tools">
      <label for="suit-target">Target</label>
      <select
        id="suit-target"
        class="field pick mono"
        :value="target"
        @change="say({ target: typed($event) })"
      >
        <option value="">none</option>
        <option v-for="column in profile.columns" :key="column.name">{{ column.name }}</option>
      </select>
      <label class="hidden-label" for="suit-find">Find a column</label>
      <input id="suit-find" v-model="find" class="field find" placeholder="Find a column" />
      <label class="hidden-label" for="suit-order">Order</label>
      <select id="suit-order" v-model="order" class="field pick">
        <option value="out">excluded first</option>
        <option value="table">in table order</option>
        <option value="skill">by predictive strength</option>
      </select>
      <span v-if="relations.busy.value" role="status"
        >comparing columns, {{ Math.round(100 * relations.share.value) }} %</span
      >
      <span class="end">
        <span class="sum" role="status"
          ><b>{{ count(judged.length - out.length) }}</b> stay, <b>{{ count(out.length) }}</b> are
          excluded</span
        >
        <button
          v-if="mayWork"
          type="button"
          class="btn main"
          :disabled="settle.isPending.value || relations.busy.value || (!out.length && !hasRule)"
          @click="settle.mutate(out.map((judgement) => judgement.column.name))"
        >
          {{ action }}
        </button>
      </span>
    </div>
    <div class="limits">
      <label v-for="eachLimit in LIMITS" :key="eachLimit.name" :for="`limit-${eachLimit.name}`">
        <span>{{ eachLimit.label }}</span>
        <input
          :id="`limit-${eachLimit.name}`"
          type="range"
          min="0"
          max="100"
          :value="percent(eachLimit.name)"
          @input="say({ [eachLimit.name]: typed($event) })"
        />
        <b class="mono">{{
          eachLimit.unit ? `${percent(eachLimit.name)} %` : (percent(eachLimit.name) / 100).toFixed(2)
        }}</b>
      </label>
    </div>
    <p v-if="settle.isSuccess.value && !differs" class="state soft" role="status">
      Settled for the feed; the rulebook has the rule since revision {{ settle.data.value?.revision }}.
    </p>
    <p v-else-if="hasRule && differs && !relations.busy.value" class="state news" role="status">
      The rule drops other columns than these settings find<template v-if="other.more.length"
        >; not dropped yet: <span class="mono">{{ other.more.join(', ') }}</span></template
      ><template v-if="other.less.length"
        >; dropped, but fit: <span class="mono">{{ other.less.join(', ') }}</span></template
      >.
    </p>
    <p v-else-if="kept.data.value?.at" class="state soft">
      Settled for the feed by {{ kept.data.value.by || 'somebody' }}, {{ minute(kept.data.value.at) }}.
    </p>
    <StateNote :error="relations.error.value ?? settle.error.value ?? kept.error.value" />
    <table class="lines choices">
      <thead>
        <tr>
          <th>Column</th>
          <th>Type and role</th>
          <th class="num">Missing</th>
          <th class="num">Distinct</th>
          <th>Most similar to</th>
          <th class="num"></th>
          <th class="num" title="association with the target">With target</th>
          <th class="num" title="how well this column alone predicts the target">Strength</th>
          <th>Verdict</th>
          <th>By hand</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="item in shown" :key="item.column.name" :class="{ gone: falls(item) }">
          <td class="name mono">
            <RouterLink :to="{ query: { column: item.column.name } }" :title="item.column.name">{{
              item.column.name
            }}</RouterLink>
          </td>
          <td class="soft">{{ item.column.type }}, {{ item.column.role }}</td>
          <td class="num">
            <RouterLink
              v-if="item.missing"
              class="door"
              :to="recordsLink(route, null, [{ on: 'column', name: item.column.name, test: 'missing' }])"
              >{{ share(item.missing * profile.records, profile.records) }}</RouterLink
            >
          </td>
          <td class="num">{{ count(item.column.distinct) }}</td>
          <td class="mono like" :title="item.repeats?.name">{{ item.repeats?.name }}</td>
          <td class="num">{{ two(item.repeats?.strength, '') }}</td>
          <td class="num">{{ two(item.association, '') }}</td>
          <td class="num">{{ two(item.skill, '') }}</td>
          <td class="verdict" :title="[...item.reasons, ...item.remarks].join('; ')">
            <template v-if="item.column.name === target">the target</template>
            <template v-else-if="falls(item)"
              ><b>excluded</b>: {{ item.reasons.join('; ') || 'by hand' }}</template
            >
            <template v-else-if="item.reasons.length"
              >input by hand, though {{ item.reasons.join('; ') }}</template
            >
            <template v-else-if="item.remarks.length"><b>stays</b>: {{ item.remarks.join('; ') }}</template>
            <template v-else>stays</template>
          </td>
          <td>
            <label class="hidden-label" :for="`hand-${item.column.name}`"
              >By hand: {{ item.column.name }}</label
            >
            <select
              v-if="item.column.name !== target"
              :id="`hand-${item.column.name}`"
              class="field hand"
              :value="parts[item.column.name] ?? ''"
              @change="decide(item.column.name, typed($event) as Part | '')"
            >
              <option value="">as judged</option>
              <option value="input">input</option>
              <option value="excluded">excluded</option>
            </select>
          </td>
        </tr>
      </tbody>
    </table>
  </section>
</template>

<style scoped>
.pick {
  width: auto;
}
select.pick:not(.mono) {
  font-family: var(--sans);
}
.find {
  width: 120px;
}
.limits {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 22px;
  align-items: center;
  border-top: 1px solid var(--hair);
  padding: 8px 16px 10px 0;
}
.limits label {
  display: flex;
  gap: 7px;
  align-items: center;
  color: var(--soft);
}
.limits input {
  width: 104px;
  accent-color: var(--ink);
}
.limits label b {
  display: inline-block;
  min-width: 36px;
  color: var(--ink);
}
.end {
  display: flex;
  gap: 16px;
  align-items: center;
  margin-left: auto;
}
.state {
  margin: 0 0 8px;
}
.news {
  color: var(--ink);
}
.sum b {
  color: var(--ink);
  font-family: var(--mono);
}
table.choices tbody tr {
  cursor: default;
}
.name {
  max-width: 168px;
  overflow: hidden;
  text-overflow: ellipsis;
}
.like {
  max-width: 130px;
  overflow: hidden;
  color: var(--soft);
  text-overflow: ellipsis;
}
.verdict {
  max-width: 240px;
  overflow: hidden;
  text-overflow: ellipsis;
}
tr.gone .name a {
  color: var(--soft);
  text-decoration: line-through;
}
.hand {
  width: 88px;
  font-family: var(--sans);
}
</style>
