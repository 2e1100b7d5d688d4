<script setup lang="ts">
/** What rules of all feeds refer to: code lists, reference tables, shared rules, parameters. */
import { api, unwrap } from '@/api/client'
import { usePerson } from '@/features/session'
import { count, plural, StateNote } from '@/shared'
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import CodeListEditor from '../components/CodeListEditor.vue'
import ParameterEditor from '../components/ParameterEditor.vue'
import ReferenceEditor from '../components/ReferenceEditor.vue'
import SharedEditor from '../components/SharedEditor.vue'

const route = useRoute()
const router = useRouter()
const { mayWork } = usePerson()
const { data, error, isLoading } = useQuery({
  queryKey: ['library'],
  queryFn: () => unwrap(api.GET('/api/library')),
})
const sort = computed(() => String(route.query.sort ?? ''))
const name = computed(() => String(route.query.name ?? ''))
const groups = computed(() => [
  {
    sort: 'codes', title: 'Code lists', one: 'code list', about: 'tables of codes and meanings, to map codes or restrict values',
    lines: (data.value?.code_lists ?? []).map((list) => ({ name: list.name, says: `${count(list.codes.length)} codes, version ${list.version}` })),
  },
  {
    sort: 'references', title: 'Reference tables', one: 'reference table', about: 'to look columns up, to check against, to append',
    lines: (data.value?.references ?? []).map((reference) => ({ name: reference.name, says: `${count(reference.records)} records, ${reference.columns.length} columns${reference.feed ? `, newest release of ${reference.feed}` : `, version ${reference.version}`}` })),
  },
  {
    sort: 'shared', title: 'Shared rules', one: 'group of rules', about: 'run before or after the own rules of all feeds that match a pattern',
    lines: (data.value?.shared ?? []).map((item) => ({ name: item.name, says: `${plural(item.rules.length, 'rule')} for ${item.feeds}: ${plural(item.applies_to.length, 'feed')}` })),
  },
  {
    sort: 'parameters', title: 'Parameters', one: 'parameter', about: 'named values; rules refer to them as :name',
    lines: (data.value?.parameters ?? []).map((parameter) => ({ name: parameter.name, says: `${parameter.default}${Object.keys(parameter.values).length ? `, ${plural(Object.keys(parameter.values).length, 'feed has its own', 'feeds have their own')}` : ''}` })),
  },
]) // prettier-ignore
const open = (kind: string, which: string) => void router.replace({ query: { sort: kind, name: which } })
const done = (which: string) => open(sort.value, which)
</script>

<template>
  <div class="library">
    <div class="list page">
      <h1>Library</h1>
      <StateNote :loading="isLoading" :error="error" />
      <section v-for="group in groups" :key="group.sort" :aria-label="group.title">
        <h2>
          {{ group.title }} <span class="soft">{{ group.about }}</span>
          <button v-if="mayWork" type="button" class="link" @click="open(group.sort, '')">
            New {{ group.one }}
          </button>
        </h2>
        <p v-if="data && !group.lines.length" class="soft">None yet.</p>
        <button
          v-for="line in group.lines"
          :key="line.name"
          type="button"
          class="line"
          :class="{ on: sort === group.sort && name === line.name }"
          :aria-pressed="sort === group.sort && name === line.name"
          @click="open(group.sort, line.name)"
        >
          <b class="mono">{{ line.name }}</b><span class="soft">{{ line.says }}</span>
        </button>
      </section>
    </div>
    <section class="editor" aria-label="Entry">
      <template v-if="data">
        <CodeListEditor
          v-if="sort === 'codes'"
          :key="name"
          :entry="data.code_lists.find((entry) => entry.name === name)"
          :may-work="mayWork"
          @done="done"
        />
        <ReferenceEditor
          v-else-if="sort === 'references'"
          :key="name"
          :entry="data.references.find((entry) => entry.name === name)"
          :may-work="mayWork"
          @done="done"
        />
        <SharedEditor
          v-else-if="sort === 'shared'"
          :key="name"
          :entry="data.shared.find((entry) => entry.name === name)"
          :may-work="mayWork"
          @done="done"
        />
        <ParameterEditor
          v-else-if="sort === 'parameters'"
          :key="name"
          :entry="data.parameters.find((entry) => entry.name === name)"
          :may-work="mayWork"
          @done="done"
        />
        <p v-else class="soft">
          Choose an entry, or make a new one. Rules of every feed can refer to it by its name.
        </p>
      </template>
    </section>
  </div>
</template>

<style scoped>
.library {
  display: flex;
  height: 100%;
}
.list {
  width: 52%;
  overflow: auto;
}
h2 {
  display: flex;
  gap: 12px;
  align-items: baseline;
  border-bottom: 1px solid var(--hair);
  padding: 16px 0 4px;
  font-size: 13px;
  font-weight: 650;
}
h2 span {
  flex: 1;
  font-weight: 400;
}
h2 .link {
  font-weight: 400;
  white-space: nowrap;
}
.line {
  display: grid;
  grid-template-columns: minmax(120px, 1fr) 2fr;
  gap: 12px;
  width: 100%;
  border: 0;
  border-bottom: 1px solid var(--hair2);
  padding: 6px;
  background: none;
  color: var(--ink);
  font: inherit;
  text-align: left;
  cursor: pointer;
}
.line:hover {
  background: var(--hair2);
}
.line.on {
  background: var(--wash);
  box-shadow: inset 3px 0 0 var(--ink);
}
section > p {
  padding: 6px;
}
.editor {
  flex: 1;
  min-width: 0;
  border-left: 1px solid var(--hair);
  padding: 14px 20px;
  background: var(--sheet);
  overflow: auto;
}
</style>
