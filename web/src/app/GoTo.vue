<script setup lang="ts">
/** Go to a feed, a delivery, a place, a view, a column or a new rule by typing a part of its name, or what it is also called. */
import { api, unwrap } from '@/api/client'
import { DialogBox } from '@/shared'
import { useQuery } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { fitting, goalsFor, type Goal } from './goals'

const emit = defineEmits<{ close: [] }>()
const route = useRoute()
const router = useRouter()
const typed = ref('')
const at = ref(0)
const box = ref<HTMLInputElement>()
const feeds = useQuery({ queryKey: ['feeds'], queryFn: () => unwrap(api.GET('/api/feeds')) })
const id = computed(() => Number(route.params.id ?? 0))
const delivery = useQuery({
  queryKey: ['delivery', id],
  queryFn: () =>
    unwrap(api.GET('/api/deliveries/{delivery_id}', { params: { path: { delivery_id: id.value } } })),
  enabled: () => id.value > 0,
})

const kinds = useQuery({
  queryKey: ['rule-kinds'],
  queryFn: () => unwrap(api.GET('/api/rule-kinds')),
  enabled: () => id.value > 0,
})
const all = computed(() =>
  goalsFor({
    delivery: id.value,
    columns: delivery.data.value?.columns ?? [],
    feeds: feeds.data.value ?? [],
    kinds: kinds.data.value ?? [],
  }),
)
const goals = computed(() => fitting(all.value, typed.value).slice(0, 12))
watch(box, (field) => field?.focus())
watch(typed, () => (at.value = 0))

function go(goal: Goal | undefined): void {
  if (!goal) return
  emit('close')
  router.push(goal.to)
}
</script>

<template>
  <DialogBox title="Go to" :width="480" :closable="false" @close="emit('close')">
    <label class="hidden-label" for="go-to">Feed, place, column or rule</label>
    <input
      id="go-to"
      ref="box"
      v-model="typed"
      class="field"
      placeholder="feed, place, column or rule"
      autocomplete="off"
      @keydown.down.prevent="at = Math.min(at + 1, goals.length - 1)"
      @keydown.up.prevent="at = Math.max(at - 1, 0)"
      @keydown.enter.prevent="go(goals[at])"
    />
    <ul>
      <li v-for="(goal, i) in goals" :key="goal.label + goal.hint">
        <button type="button" :class="{ on: i === at }" @click="go(goal)" @mousemove="at = i">
          <span :class="{ mono: goal.hint === 'column' }">{{ goal.label }}</span><span class="soft">{{
            goal.hint
          }}</span>
        </button>
      </li>
    </ul>
    <p v-if="!goals.length" class="soft">Nothing matches.</p>
  </DialogBox>
</template>

<style scoped>
ul {
  margin: 8px 0 0;
  padding: 0;
  list-style: none;
}
button {
  display: flex;
  justify-content: space-between;
  gap: 12px;
  width: 100%;
  border: 0;
  padding: 4px 6px;
  background: none;
  color: var(--ink);
  text-align: left;
  cursor: pointer;
}
button.on {
  background: var(--wash);
  box-shadow: inset 3px 0 0 var(--ink);
}
</style>
