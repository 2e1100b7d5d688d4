<script setup lang="ts">
/** Go to a feed, a delivery, a place or a column by typing a part of its name. */
import { api, must } from '@/api/client'
import { useQuery } from '@tanstack/vue-query'
import { Modal } from 'ant-design-vue'
import { computed, nextTick, ref, watch } from 'vue'
import { useRoute, useRouter, type RouteLocationRaw } from 'vue-router'

const open = defineModel<boolean>('open', { required: true })
const route = useRoute()
const router = useRouter()
const typed = ref('')
const at = ref(0)
const box = ref<HTMLInputElement>()
const feeds = useQuery({ queryKey: ['feeds'], queryFn: () => must(api.GET('/api/feeds')), enabled: open })
const id = computed(() => Number(route.params.id ?? 0))
const delivery = useQuery({
  queryKey: ['delivery', id],
  queryFn: () =>
    must(api.GET('/api/deliveries/{delivery_id}', { params: { path: { delivery_id: id.value } } })),
  enabled: () => open.value && id.value > 0,
})

interface Goal {
  label: string
  hint: string
  to: RouteLocationRaw
}
const goals = computed<Goal[]>(() => {
  const found: Goal[] = []
  if (id.value) {
    for (const place of ['intake', 'profile', 'rules', 'quarantine', 'release']) {
      found.push({ label: place, hint: 'place', to: { name: place, params: { id: id.value } } })
    }
    for (const column of delivery.data.value?.columns ?? []) {
      found.push({
        label: column,
        hint: 'column',
        to: { name: 'profile', params: { id: id.value }, query: { column } },
      })
    }
  }
  for (const feed of feeds.data.value ?? []) {
    for (const one of [...feed.deliveries].reverse()) {
      const label = `${feed.name}, delivery ${one.number}`
      found.push({
        label,
        hint: feed.waiting.includes(String(one.number)) ? feed.waiting : '',
        to: { name: 'profile', params: { id: one.id } },
      })
    }
  }
  for (const name of ['feeds', 'quarantined', 'releases', 'activity'])
    found.push({ label: name, hint: 'page', to: { name } })
  const words = typed.value.toLowerCase().split(/\s+/)
  return found.filter((goal) => words.every((word) => goal.label.toLowerCase().includes(word))).slice(0, 12)
})
watch(open, async (now) => {
  if (!now) return
  typed.value = ''
  await nextTick()
  setTimeout(() => box.value?.focus(), 60)
})
watch(typed, () => (at.value = 0))

function go(goal: Goal | undefined): void {
  if (!goal) return
  open.value = false
  router.push(goal.to)
}
</script>

<template>
  <Modal v-model:open="open" :closable="false" :footer="null" :width="480" title="Go to">
    <label class="hidden-label" for="go-to">Feed, place or column</label>
    <input
      id="go-to"
      ref="box"
      v-model="typed"
      class="field"
      placeholder="feed, place or column"
      autocomplete="off"
      @keydown.down.prevent="at = Math.min(at + 1, goals.length - 1)"
      @keydown.up.prevent="at = Math.max(at - 1, 0)"
      @keydown.enter.prevent="go(goals[at])"
    />
    <ul>
      <li v-for="(goal, i) in goals" :key="goal.label + goal.hint">
        <button type="button" :class="{ on: i === at }" @click="go(goal)" @mousemove="at = i">
          <span class="mono">{{ goal.label }}</span><span class="soft">{{ goal.hint }}</span>
        </button>
      </li>
    </ul>
    <p v-if="!goals.length" class="soft">Nothing is called that.</p>
  </Modal>
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
