<script setup lang="ts">
/** Groups of spelling variants of a column; what is accepted becomes one code list. */
import { recordsLink } from '@/features/records'
import { count, DataValue, plural, StateNote } from '@/shared'
import { computed, ref, toRef } from 'vue'
import { useRoute } from 'vue-router'
import { useVariants } from '../logic/variants'

const props = defineProps<{ id: number; column: string; columns: string[]; mayWork: boolean }>()
defineEmits<{ column: [name: string] }>()
const route = useRoute()
const { method, methods, found, groups, chosen, forms, codes, join } = useVariants(
  toRef(props, 'id'),
  toRef(props, 'column'),
)
const find = ref('')
const shown = computed(() => {
  const word = find.value.toLowerCase()
  return groups.value
    .map((group, i) => ({ group, i }))
    .filter(({ group }) => group.members.some((member) => member.value.toLowerCase().includes(word)))
})
const every = computed(() => shown.value.length > 0 && shown.value.every(({ i }) => chosen.value.has(i)))
function choose(i: number, on: boolean): void {
  const next = new Set(chosen.value)
  if (on) next.add(i)
  else next.delete(i)
  chosen.value = next
}
function chooseAll(on: boolean): void {
  const next = new Set(chosen.value)
  for (const { i } of shown.value) {
    if (on) next.add(i)
    else next.delete(i)
  }
  chosen.value = next
}
const checked = (event: Event) => (event.target as HTMLInputElement).checked
const typed = (event: Event) => (event.target as HTMLInputElement).value
const about = computed(
  () => methods.data.value?.find((eachMethod) => eachMethod.name === method.value)?.about ?? '',
)
</script>

<template>
  <div class="tools">
    <label for="variant-column">Spellings in</label>
    <select
      id="variant-column"
      class="field pick mono"
      :value="column"
      @change="$emit('column', typed($event))"
    >
      <option v-for="name in columns" :key="name">{{ name }}</option>
    </select>
    <label for="variant-method">alike by</label>
    <select id="variant-method" v-model="method" class="field pick">
      <option v-for="eachMethod in methods.data.value ?? []" :key="eachMethod.name">
        {{ eachMethod.name }}
      </option>
    </select>
    <label class="hidden-label" for="find-variant">Find a spelling</label>
    <input id="find-variant" v-model="find" class="field find" placeholder="Find a spelling" />
  </div>
  <p class="soft about">
    {{ about }}
    <template v-if="found.data.value && !found.data.value.all">
      Only the 50,000 most frequent of {{ count(found.data.value.distinct) }} values are compared.
    </template>
  </p>
  <StateNote
    :loading="found.isFetching.value && !found.data.value"
    :error="found.error.value ?? join.error.value"
  />
  <template v-if="groups.length">
    <div class="acts">
      <label
        ><input type="checkbox" :checked="every" @change="chooseAll(checked($event))" /> all
        {{ plural(shown.length, 'group') }}</label
      >
      <button
        v-if="mayWork"
        type="button"
        class="btn main"
        :disabled="!codes.length || join.isPending.value"
        @click="join.mutate()"
      >
        Make a code list of {{ plural(codes.length, 'spelling') }}
      </button>
      <span v-if="join.isSuccess.value && !codes.length" class="soft" role="status"
        >The code list is a rule now; Rules shows its effect.</span
      >
    </div>
    <table class="lines">
      <thead>
        <tr>
          <th></th>
          <th>Becomes</th>
          <th>Spellings, with their cells</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="{ group, i } in shown.slice(0, 300)" :key="group.preferred">
          <td class="box">
            <input
              type="checkbox"
              :checked="chosen.has(i)"
              :aria-label="`Join the spellings of ${group.preferred}`"
              @change="choose(i, checked($event))"
            />
          </td>
          <td class="form">
            <input
              class="field"
              :value="forms.get(i) ?? group.preferred"
              :aria-label="`Preferred form of ${group.preferred}`"
              :disabled="!mayWork"
              @input="forms = new Map(forms).set(i, typed($event))"
            />
          </td>
          <td>
            <span v-for="member in group.members" :key="member.value" class="member">
              <DataValue :value="member.value" :was="member.value !== (forms.get(i) ?? group.preferred)" />
              <RouterLink
                class="door mono"
                :to="
                  recordsLink(route, null, [{ on: 'column', name: column, test: 'is', value: member.value }])
                "
                >{{ count(member.count) }}</RouterLink
              >
            </span>
          </td>
        </tr>
      </tbody>
    </table>
    <p v-if="shown.length > 300" class="soft about">
      The 300 groups with the most cells are shown of {{ count(shown.length) }}; search for others.
    </p>
  </template>
  <StateNote
    v-else-if="found.data.value"
    :empty="`No two of the ${count(found.data.value.distinct)} values of ${column} are alike by this method. Try another one.`"
  />
</template>

<style scoped>
.pick {
  width: auto;
  max-width: 190px;
  font-family: var(--sans);
}
.find {
  width: 120px;
}
.about {
  max-width: 80ch;
  padding: 0 8px 8px 0;
}
.acts {
  display: flex;
  gap: 16px;
  align-items: center;
  padding-bottom: 8px;
}
.box {
  width: 26px;
}
.form {
  width: 230px;
  padding-right: 18px !important;
}
td {
  padding-top: 4px !important;
  padding-bottom: 4px !important;
  vertical-align: middle !important;
}
.member {
  display: inline-flex;
  gap: 6px;
  align-items: baseline;
  margin-right: 18px;
}
</style>
