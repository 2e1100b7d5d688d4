<script setup lang="ts">
/** The rulebook as text: to print, to keep, to run elsewhere, and back from text. */
import { api, unwrap } from '@/api/client'
import { StateNote } from '@/shared'
import { useMutation, useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'

const props = defineProps<{
  slug: string
  delivery: number
  revision: number
  mayWork: boolean
  rule?: number
}>()
const emit = defineEmits<{ leave: []; taken: [] }>()
const files = computed(() => {
  const book = `/api/feeds/${props.slug}/rulebook`
  const here = `/api/deliveries/${props.delivery}/rulebook`
  return [
    { href: `${book}.html?delivery=${props.delivery}`, title: 'Report', says: 'the sentences with their effects, to print', tab: true },
    { href: `${book}.json`, title: 'JSON', says: 'to keep, or to import elsewhere' },
    { href: `${book}.yaml`, title: 'YAML', says: 'the same, easier to read' },
    { href: `${here}.py`, title: 'Script that cleans', says: 'Python, needs the package duckdb only: reads such files, writes the same tables' },
    { href: `${here}.py?only_checks=true`, title: 'Script that checks', says: 'Python: judges a table, changes nothing' },
    { href: `${here}.sql`, title: 'SQL for DuckDB', says: 'all statements, to be executed' },
    { href: `${here}.sql?dialect=postgres`, title: 'SQL for PostgreSQL', says: 'the same, with the functions that it needs' },
    { href: '/api/rulebook-schema', title: 'JSON Schema', says: 'what a rulebook as text may hold', tab: true },
  ] // prettier-ignore
})
const steps = useQuery({
  queryKey: computed(() => ['sql', props.delivery, props.revision]),
  queryFn: () =>
    unwrap(
      api.GET('/api/deliveries/{delivery_id}/sql', { params: { path: { delivery_id: props.delivery } } }),
    ),
  retry: false,
})
const typed = ref('')
const take = useMutation({
  mutationFn: () =>
    unwrap(
      api.POST('/api/feeds/{slug}/rulebook-text', {
        params: { path: { slug: props.slug } },
        body: { text: typed.value, based_on: props.revision },
      }),
    ),
  onSuccess: () => {
    typed.value = ''
    emit('taken')
  },
})
async function fromFile(event: Event): Promise<void> {
  const file = (event.target as HTMLInputElement).files?.[0]
  if (file) typed.value = await file.text()
}
const copied = ref(-1)
async function copy(at: number, sql: string): Promise<void> {
  await navigator.clipboard.writeText(sql)
  copied.value = at
}
</script>

<template>
  <section aria-label="As text">
    <div class="title">
      <h2>As text</h2>
      <button type="button" class="link" @click="emit('leave')">Close</button>
    </div>
    <ul class="files">
      <li v-for="file in files" :key="file.title">
        <a
          :href="file.href"
          :target="file.tab ? '_blank' : undefined"
          :download="file.tab ? undefined : ''"
          >{{ file.title }}</a
        >
        <span class="soft">{{ file.says }}</span>
      </li>
    </ul>
    <template v-if="mayWork">
      <h3><label for="rulebook-text">Import rulebook</label></h3>
      <textarea
        id="rulebook-text"
        v-model="typed"
        class="field"
        rows="3"
        placeholder="paste JSON or YAML, or choose a file"
        spellcheck="false"
      ></textarea>
      <div class="take">
        <input type="file" accept=".json,.yaml,.yml" aria-label="File with a rulebook" @change="fromFile" />
        <button
          type="button"
          class="btn"
          :disabled="!typed.trim() || take.isPending.value"
          @click="take.mutate()"
        >
          Replace the rules with these
        </button>
      </div>
      <StateNote :error="take.error.value" />
    </template>
    <h3>SQL of each step</h3>
    <StateNote :loading="steps.isLoading.value" :error="steps.error.value" />
    <details
      v-for="(step, i) in steps.data.value ?? []"
      :key="step.name"
      :open="Boolean(rule) && step.rule === rule"
    >
      <summary>
        {{ step.says }} <span class="mono soft">{{ step.name }}</span>
      </summary>
      <button type="button" class="link" @click="copy(i, step.sql)">
        {{ copied === i ? 'Copied' : 'Copy' }}
      </button>
      <pre tabindex="0">{{ step.sql }}</pre>
    </details>
  </section>
</template>

<style scoped>
.title {
  display: flex;
  justify-content: space-between;
}
h2 {
  font-size: 14px;
}
h3 {
  margin: 16px 0 4px;
  border-top: 1px solid var(--ink);
  padding-top: 8px;
  font-size: 13px;
  font-weight: 650;
}
.files {
  margin: 8px 0 0;
  padding: 0;
  list-style: none;
}
.files li {
  display: grid;
  grid-template-columns: 148px minmax(0, 1fr);
  gap: 10px;
  border-bottom: 1px solid var(--hair2);
  padding: 5px 0;
}
.take {
  display: flex;
  gap: 12px;
  align-items: center;
  justify-content: space-between;
  padding-top: 6px;
}
details {
  border-bottom: 1px solid var(--hair2);
  padding: 4px 0;
}
summary {
  cursor: pointer;
}
pre {
  max-height: 320px;
  margin: 4px 0;
  padding: 8px;
  background: var(--paper);
  font: 12px/1.45 var(--mono);
  overflow: auto;
}
</style>
