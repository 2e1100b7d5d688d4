<script setup lang="ts">
/** How a released table is to be divided: parts with shares, by records, groups or time, and what stays out. */
import { api, unwrap, type Schemas } from '@/api/client'
import { StateNote } from '@/shared'
import { useMutation } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { asSent, blank, hindrance, type Division } from '../logic/division'

const props = defineProps<{ slug: string; columns: Schemas['ColumnToDivide'][]; keyColumns: string[] }>()
const emit = defineEmits<{ made: [division: Division] }>()
const asked = ref(blank())
const out = ref('')
const why = computed(() => hindrance(asked.value, props.keyColumns))
const times = computed(() => props.columns.filter((each) => each.type.startsWith('date')))
const offered = computed(() => (asked.value.way === 'time' ? times.value : props.columns))
const rest = computed(() => props.columns.filter((each) => !(each.name in asked.value.left_out)))
const divide = useMutation({
  mutationFn: () =>
    unwrap(
      api.POST('/api/feeds/{slug}/divisions', {
        params: { path: { slug: props.slug } },
        body: asSent(asked.value),
      }),
    ),
  onSuccess: (made) => {
    asked.value = blank()
    emit('made', made)
  },
})
function leaveOut(): void {
  if (out.value) asked.value.left_out[out.value] = ''
  out.value = ''
}
</script>

<template>
  <form @submit.prevent="divide.mutate()">
    <fieldset>
      <legend>Parts</legend>
      <div v-for="(part, at) in asked.shares" :key="at" class="part">
        <input v-model="part.name" class="field" :aria-label="`Name of part ${at + 1}`" maxlength="20" />
        <input
          v-model.number="part.share"
          class="field share"
          type="number"
          min="0.01"
          max="100"
          step="any"
          :aria-label="`Share of ${part.name} in percent`"
        /><span class="soft">%</span>
        <button
          v-if="asked.shares.length > 2"
          type="button"
          class="link"
          :aria-label="`Remove ${part.name}`"
          @click="asked.shares.splice(at, 1)"
        >
          Remove
        </button>
      </div>
      <button
        v-if="asked.shares.length < 10"
        type="button"
        class="link"
        @click="asked.shares.push({ name: `part_${asked.shares.length + 1}`, share: 0 })"
      >
        Add a part
      </button>
    </fieldset>
    <fieldset>
      <legend>Divided by</legend>
      <label class="way"
        ><input v-model="asked.way" type="radio" value="records" /><span
          >records<small class="soft"
            >{{ keyColumns.length ? `told apart by ${keyColumns.join(', ')}` : 'the feed has no key' }}
          </small></span
        ></label
      >
      <label class="way"
        ><input v-model="asked.way" type="radio" value="groups" /><span
          >whole groups<small class="soft">no site, no person in two parts</small></span
        ></label
      >
      <label class="way"
        ><input v-model="asked.way" type="radio" value="time" /><span
          >time<small class="soft">the earliest records in the first part</small></span
        ></label
      >
      <label v-if="asked.way !== 'records'" class="row"
        >Column
        <select v-model="asked.column" class="field">
          <option value="">choose</option>
          <option v-for="each in offered" :key="each.name">{{ each.name }}</option>
        </select></label
      >
      <label v-else class="row"
        >With the shares of
        <select v-model="asked.stratum" class="field">
          <option value="">no column</option>
          <option v-for="each in columns" :key="each.name">{{ each.name }}</option>
        </select></label
      >
      <label v-if="asked.way !== 'time'" class="row"
        >Seed <input v-model="asked.seed" class="field" maxlength="100"
      /></label>
    </fieldset>
    <fieldset>
      <legend>Columns that stay out</legend>
      <div v-for="(_, name) in asked.left_out" :key="name" class="part">
        <span class="mono left">{{ name }}</span>
        <input
          v-model="asked.left_out[name]"
          class="field"
          :aria-label="`Why ${name} stays out`"
          placeholder="why"
        />
        <button type="button" class="link" @click="delete asked.left_out[name]">Remove</button>
      </div>
      <select v-model="out" class="field" aria-label="Column that stays out" @change="leaveOut">
        <option value="">choose a column</option>
        <option v-for="each in rest" :key="each.name">{{ each.name }}</option>
      </select>
    </fieldset>
    <label class="row"
      >Watch for values in several parts
      <select
        class="field"
        :value="asked.watched[0] ?? ''"
        @change="asked.watched = [($event.target as HTMLSelectElement).value].filter((name) => name !== '')"
      >
        <option value="">no column</option>
        <option v-for="each in columns" :key="each.name">{{ each.name }}</option>
      </select></label
    >
    <p class="acts">
      <button class="btn main" :disabled="Boolean(why) || divide.isPending.value">Divide the table</button>
    </p>
    <p v-if="why" class="soft">{{ why }}</p>
    <StateNote :error="divide.error.value" />
  </form>
</template>

<style scoped>
fieldset {
  margin: 0 0 10px;
  border: 0;
  border-bottom: 1px solid var(--hair2);
  padding: 0 0 10px;
}
legend {
  margin: 0;
  border: 0;
  padding: 0 0 3px;
  font-size: inherit;
  color: var(--soft);
}
.part {
  display: flex;
  gap: 8px;
  align-items: baseline;
  padding-bottom: 3px;
}
.part .field {
  flex: 1;
  min-width: 0;
}
.part .share {
  flex: none;
  width: 64px;
  text-align: right;
}
.left {
  max-width: 130px;
  overflow: hidden;
  text-overflow: ellipsis;
}
.way {
  display: grid;
  grid-template-columns: 22px 1fr;
  align-items: baseline;
  padding: 2px 0;
}
.way input {
  margin: 0;
}
small {
  display: block;
}
.row {
  display: grid;
  padding-top: 6px;
}
.acts {
  padding: 12px 0 6px;
}
</style>
