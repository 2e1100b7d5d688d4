<script setup lang="ts">
/** A file of a release in a chosen form: its columns in their order, and how delimited text is written. */
import { api, unwrap } from '@/api/client'
import { DialogBox, StateNote } from '@/shared'
import { useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { addressOf, blankForm, CHOICES, FORMS, moved } from '../logic/output'

const props = defineProps<{ release: number }>()
const emit = defineEmits<{ close: [] }>()
const form = ref(blankForm())
const { data, error, isLoading } = useQuery({
  queryKey: ['release columns', computed(() => props.release)],
  queryFn: () =>
    unwrap(api.GET('/api/releases/{release_id}', { params: { path: { release_id: props.release } } })),
})
const names = computed(() => data.value?.columns ?? [])
const chosen = computed(() => (form.value.columns.length ? form.value.columns : names.value))
const address = computed(() => addressOf(props.release, form.value, names.value))
function toggle(name: string): void {
  const now = chosen.value
  form.value.columns = now.includes(name) ? now.filter((each) => each !== name) : [...now, name]
}
function move(name: string, by: number): void {
  form.value.columns = moved(chosen.value, name, by)
}
</script>

<template>
  <DialogBox title="Another form of file" :width="620" @close="emit('close')">
    <StateNote :loading="isLoading" :error="error" />
    <div v-if="data" class="halves">
      <section>
        <label class="row"
          >Form
          <select v-model="form.form" class="field">
            <option v-for="(label, value) in FORMS" :key="value" :value="value">{{ label }}</option>
          </select></label
        >
        <template v-if="form.form === 'csv'">
          <label v-for="(choice, name) in CHOICES" :key="name" class="row"
            >{{ choice.label }}
            <select v-model="form[name]" class="field">
              <option v-for="(label, value) in choice.values" :key="value" :value="value">{{ label }}</option>
            </select></label
          >
          <label class="row"
            >A missing value is written as <input v-model="form.missing" class="field" maxlength="20"
          /></label>
          <label class="check"><input v-model="form.header" type="checkbox" />column names first</label>
          <label class="check"><input v-model="form.defused" type="checkbox" />safe for spreadsheets</label>
        </template>
        <p v-else-if="form.form === 'xlsx'" class="soft">
          Numbers, dates and true/false are cells of their type; whole and exact numbers of more than 15
          digits are text. Nothing runs as a formula. More than 1,048,575 records go on in further sheets.
        </p>
      </section>
      <section>
        <h3>Columns</h3>
        <ul>
          <li v-for="name in chosen" :key="name">
            <label class="check"
              ><input type="checkbox" checked @change="toggle(name)" /><span class="mono">{{
                name
              }}</span></label
            >
            <button type="button" class="link" :aria-label="`${name} earlier`" @click="move(name, -1)">
              ↑
            </button>
            <button type="button" class="link" :aria-label="`${name} later`" @click="move(name, 1)">↓</button>
          </li>
          <li v-for="name in names.filter((each) => !chosen.includes(each))" :key="name">
            <label class="check"
              ><input type="checkbox" @change="toggle(name)" /><span class="mono soft">{{
                name
              }}</span></label
            >
          </li>
        </ul>
      </section>
    </div>
    <p class="acts">
      <a v-if="data" class="btn main" :href="address" download>Take the file</a>
      <button type="button" class="link" @click="emit('close')">Cancel</button>
    </p>
  </DialogBox>
</template>

<style scoped>
.halves {
  display: grid;
  grid-template-columns: 250px minmax(0, 1fr);
  gap: 0 28px;
}
.row {
  display: grid;
  padding-bottom: 8px;
}
.check {
  display: flex;
  gap: 6px;
  align-items: baseline;
  min-width: 0;
  padding: 2px 0;
}
.check span {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
h3 {
  margin: 0;
  padding-bottom: 4px;
  font-size: 13px;
  font-weight: 400;
}
ul {
  max-height: 330px;
  margin: 0;
  padding: 0;
  overflow: auto;
  list-style: none;
}
li {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 22px 22px;
  border-bottom: 1px solid var(--hair2);
}
li .link {
  border: 0;
}
.acts {
  display: flex;
  gap: 14px;
  align-items: baseline;
  padding-top: 14px;
}
</style>
