<script setup lang="ts">
/** What the new rule should do: typed, or taken from the list. */
import type { Schemas } from '@/api/client'
import { computed, onMounted, ref, watch } from 'vue'

const props = defineProps<{ kinds: Schemas['KindOut'][]; column?: string }>()
const emit = defineEmits<{ pick: [kind: Schemas['KindOut']]; leave: [] }>()
const typed = ref('')
const at = ref(0)
const box = ref<HTMLInputElement>()
const shown = computed(() => {
  const words = typed.value.toLowerCase().split(/\s+/)
  const found = props.kinds.filter((kind) => {
    const said = `${kind.title} ${kind.group} ${kind.about}`.toLowerCase()
    return words.every((word) => said.includes(word))
  })
  // what is meant stands in the title sooner than in the explanation
  const titled = (kind: Schemas['KindOut']) =>
    Number(kind.title.toLowerCase().includes(typed.value.toLowerCase()))
  return typed.value ? found.sort((a, b) => titled(b) - titled(a)) : found
})
watch(typed, () => (at.value = 0))
onMounted(() => box.value?.focus())
/** Enter before the kinds are here is not lost: it counts when they come. */
const early = ref(false)
function pick(): void {
  const kind = shown.value[at.value]
  early.value = !props.kinds.length
  if (kind) emit('pick', kind)
}
watch(
  () => props.kinds.length,
  () => early.value && pick(),
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
      placeholder="What should it do? e.g. trim, missing, unique"
      autocomplete="off"
      @keydown.down.prevent="at = Math.min(at + 1, shown.length - 1)"
      @keydown.up.prevent="at = Math.max(at - 1, 0)"
      @keydown.enter.prevent="pick"
      @keydown.esc.prevent="$emit('leave')"
    />
    <ul>
      <li v-for="(kind, i) in shown" :key="kind.kind">
        <button type="button" :class="{ on: i === at }" @click="$emit('pick', kind)" @mousemove="at = i">
          <b>{{ kind.title }}</b><span class="soft"
            >{{ kind.is_check ? 'check' : 'correction' }}, {{ kind.group.toLowerCase() }}</span
          >
          <small class="soft">{{ kind.about }}</small>
        </button>
      </li>
    </ul>
    <p v-if="kinds.length && !shown.length" class="soft">No rule does that yet.</p>
  </div>
</template>

<style scoped>
h2 {
  margin-bottom: 8px;
  font-size: 14px;
}
ul {
  margin: 8px 0 0;
  padding: 0;
  list-style: none;
}
button {
  display: grid;
  grid-template-columns: 1fr auto;
  gap: 0 12px;
  width: 100%;
  border: 0;
  border-bottom: 1px solid var(--hair2);
  padding: 6px;
  background: none;
  color: var(--ink);
  text-align: left;
  cursor: pointer;
}
small {
  grid-column: 1 / -1;
}
button.on {
  background: var(--wash);
  box-shadow: inset 3px 0 0 var(--ink);
}
</style>
