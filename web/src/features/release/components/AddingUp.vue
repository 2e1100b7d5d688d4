<script setup lang="ts">
/** How the deliveries of a feed add up, and whether each record tells where it is from. */
import { api, unwrap, type Schemas } from '@/api/client'
import { StateNote } from '@/shared'
import { useMutation, useQueryClient } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'
import { WAYS, type Way } from '../logic/addingUp'

const props = defineProps<{ slug: string; table: Schemas['ReleasedTableOut']; mayRelease: boolean }>()
const queries = useQueryClient()
const way = ref<Way>(props.table.adds_up)
const origin = ref(props.table.shows_origin)
const second = ref(props.table.second_person)
const reset = () => {
  way.value = props.table.adds_up
  origin.value = props.table.shows_origin
  second.value = props.table.second_person
}
watch(() => [props.table.adds_up, props.table.shows_origin, props.table.second_person], reset)
const readersSee = computed(
  () => way.value !== props.table.adds_up || origin.value !== props.table.shows_origin,
)
const changed = computed(() => readersSee.value || second.value !== props.table.second_person)
const keep = useMutation({
  mutationFn: () =>
    unwrap(
      api.PUT('/api/feeds/{slug}/released', {
        params: { path: { slug: props.slug } },
        body: { adds_up: way.value, shows_origin: origin.value, second_person: second.value },
      }),
    ),
  onSuccess: () => queries.invalidateQueries(),
})
const chosen = computed(() => WAYS.find((each) => each.way === props.table.adds_up)!)
</script>

<template>
  <form v-if="mayRelease" @submit.prevent="keep.mutate()">
    <fieldset>
      <legend class="hidden-label">How deliveries add up</legend>
      <label v-for="each in WAYS" :key="each.way">
        <input v-model="way" type="radio" name="way" :value="each.way" />
        <span
          >{{ each.label }}
          <small class="soft"
            >{{ each.about }}
            <template v-if="each.way === 'newest'">{{
              table.key.length
                ? `The key is ${table.key.join(', ')}.`
                : 'The feed has no key yet; it is agreed in Quarantine.'
            }}</template></small
          ></span
        >
      </label>
    </fieldset>
    <label class="origin">
      <input v-model="origin" type="checkbox" />
      <span
        >Readers see where a record is from
        <small class="soft"
          >The columns <span class="mono">pravin_delivery</span> and
          <span class="mono">pravin_record</span> come last in the view.</small
        ></span
      >
    </label>
    <label class="origin">
      <input v-model="second" type="checkbox" />
      <span
        >A second person approves
        <small class="soft"
          >Whoever proposed a release or decided on its records may not approve it.</small
        ></span
      >
    </label>
    <p v-if="changed" class="acts">
      <button class="btn main" :disabled="keep.isPending.value">
        {{ readersSee ? 'Change what readers see' : 'Change who approves' }}
      </button>
      <button type="button" class="btn" @click="reset">Cancel</button>
    </p>
    <StateNote :error="keep.error.value" />
  </form>
  <p v-else>
    {{ chosen.label }}. <span class="soft">{{ chosen.about }} An approver may change this.</span>
  </p>
</template>

<style scoped>
fieldset {
  margin: 0;
  border: 0;
  padding: 0;
}
label {
  display: grid;
  grid-template-columns: 22px 1fr;
  align-items: baseline;
  padding: 4px 0;
}
label input {
  margin: 0;
}
small {
  display: block;
}
.origin {
  margin-top: 4px;
  border-top: 1px solid var(--hair2);
  padding-top: 8px;
}
.acts {
  display: flex;
  gap: 8px;
  padding: 8px 0 0;
}
</style>
