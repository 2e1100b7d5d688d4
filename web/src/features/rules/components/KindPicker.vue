<script setup lang="ts">
/** What the new rule should do: typed ("trim lab"), or taken from the list. */
import type { Schemas } from '@/api/client'
import { bringInSight, further } from '@/shared'
import { computed, onMounted, ref, watch } from 'vue'
import { asked } from '../logic/asking'

const props = defineProps<{ kinds: Schemas['KindOut'][]; columns: string[]; column?: string }>()
const emit = defineEmits<{ pick: [kind: Schemas['KindOut'], column?: string]; example: []; leave: [] }>()
const typed = ref('')
const at = ref(0)
const box = ref<HTMLInputElement>()
const list = ref<HTMLElement>()
const shown = computed(() => asked(typed.value, props.kinds, props.columns, props.column))
/** Groups in the order in which a table is put right. */
const ORDER = [
  'text', 'repair', 'missing', 'values', 'types', 'numbers', 'dates', 'records', 'columns', 'table', 'per record', 'across records',
] // prettier-ignore
const placeOf = (name: string) =>
  (name.startsWith('Checks') ? 100 : 0) + ORDER.indexOf(name.split(': ')[1] ?? '')
const groups = computed(() => {
  const byGroup = new Map<string, { kind: Schemas['KindOut']; column?: string; i: number }[]>()
  shown.value.forEach((item, i) => {
    const name = typed.value
      ? ''
      : `${item.kind.is_check ? 'Checks' : 'Corrections'}: ${item.kind.group.toLowerCase()}`
    byGroup.set(name, [...(byGroup.get(name) ?? []), { ...item, i }])
  })
  return [...byGroup.entries()].sort(([a], [b]) => placeOf(a) - placeOf(b))
})
/** The order on screen, which the arrow keys follow. */
const order = computed(() => groups.value.flatMap(([, some]) => some.map(({ i }) => i)))
watch(typed, () => (at.value = order.value[0] ?? 0))
onMounted(() => {
  at.value = order.value[0] ?? 0
  box.value?.focus()
})
function step(by: number): void {
  at.value = further(order.value, at.value, by) ?? 0
  void bringInSight(list)
}
/** Enter before the kinds are here is not lost: it counts when they come. */
const early = ref(false)
function pick(): void {
  const entry = shown.value[at.value]
  early.value = !props.kinds.length
  if (entry) emit('pick', entry.kind, entry.column)
}
watch(
  () => props.kinds.length,
  () => {
    at.value = order.value[0] ?? 0
    if (early.value) pick()
  },
)
</script>

<template>
  <div>
    <h2>New rule{{ column ? ` for ${column}` : '' }}</h2>
    <label class="hidden-label" for="kind-search">What should it do?</label>
    <input
      id="kind-search"
      ref="box"
      v-model="typed"
      class="field"
      placeholder="What should it do? e.g. trim lab, missing, unique"
      autocomplete="off"
      @keydown.down.prevent="step(1)"
      @keydown.up.prevent="step(-1)"
      @keydown.enter.prevent="pick"
      @keydown.esc.prevent="$emit('leave')"
    />
    <p class="example">
      <button type="button" class="link" @click="$emit('example')">By example</button> <kbd>e</kbd>
      <span class="soft">type what you want for a few records, and a formula is found</span>
    </p>
    <div ref="list">
      <section v-for="[name, some] in groups" :key="name">
        <h3 v-if="name">{{ name }}</h3>
        <ul>
          <li v-for="{ kind, column: on, i } in some" :key="kind.kind">
            <button
              type="button"
              :class="{ on: i === at }"
              @click="$emit('pick', kind, on)"
              @mousemove="at = i"
            >
              <b
                >{{ kind.title }}<i v-if="on && typed"> {{ on }}</i></b
              ><span v-if="typed" class="soft"
                >{{ kind.is_check ? 'check' : 'correction' }}, {{ kind.group.toLowerCase() }}</span
              >
              <small class="soft">{{ kind.about }}</small>
            </button>
          </li>
        </ul>
      </section>
    </div>
    <p v-if="kinds.length && !shown.length" class="soft">
      No rule does that. Try fewer words, or “Compute by a formula”.
    </p>
  </div>
</template>

<style scoped>
h2 {
  margin-bottom: 8px;
  font-size: 14px;
}
h3 {
  margin: 10px 0 2px;
  color: var(--soft);
  font-size: 12px;
  font-weight: 500;
}
.example {
  display: flex;
  gap: 8px;
  padding: 8px 0 2px;
}
ul {
  margin: 0;
  padding: 0;
  list-style: none;
}
li button {
  display: grid;
  grid-template-columns: 1fr auto;
  gap: 0 12px;
  width: 100%;
  border: 0;
  border-bottom: 1px solid var(--hair2);
  padding: 5px 6px;
  background: none;
  color: var(--ink);
  text-align: left;
  cursor: pointer;
}
small {
  grid-column: 1 / -1;
  font-size: 12px;
}
i {
  font: 550 12.5px var(--mono);
}
li button.on {
  background: var(--wash);
  box-shadow: inset 3px 0 0 var(--ink);
}
</style>
