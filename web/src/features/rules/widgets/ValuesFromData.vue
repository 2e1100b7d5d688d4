<script setup lang="ts">
/** Takes the values of a column over into a list of names: those that are not in it yet, in the order of the data. */
import { api, unwrap } from '@/api/client'
import { count } from '@/shared'
import { computed, ref } from 'vue'
import { rulesAbove, type Rule } from '../logic/rulebook'

const props = defineProps<{ column: string; rule: Rule; rules: Rule[]; delivery: number; chosen: string[] }>()
const emit = defineEmits<{ take: [names: string[]] }>()
const outcome = ref('')
const busy = ref(false)
const above = computed(() => rulesAbove(props.rules, props.rule))

async function take(): Promise<void> {
  busy.value = true
  try {
    const { values, more } = await unwrap(
      api.POST('/api/deliveries/{delivery_id}/values', {
        params: { path: { delivery_id: props.delivery } },
        body: { rules: above.value as never[], below: '', name: props.column },
      }),
    )
    const added = values.filter((value) => !props.chosen.includes(value))
    if (added.length) emit('take', [...props.chosen, ...added])
    const rest = more
      ? ` ${props.column} has more than ${count(values.length)} values; these are the first.`
      : ''
    outcome.value = (added.length ? `${count(added.length)} added.` : 'No other values in the data.') + rest
  } catch (error) {
    outcome.value = (error as Error).message
  } finally {
    busy.value = false
  }
}
</script>

<template>
  <p class="take">
    <button v-if="column" type="button" class="link" :disabled="busy" @click="take">
      Add the values of {{ column }}
    </button>
    <span v-else class="soft">Its values can be taken over once a column of names is chosen.</span>
    <span class="soft" role="status">{{ outcome }}</span>
  </p>
</template>

<style scoped>
.take {
  display: flex;
  gap: 10px;
  padding-top: 2px;
  font-size: 12.5px;
}
</style>
