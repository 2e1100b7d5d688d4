<script setup lang="ts">
/** What people decided, newest first, each as one act that can be undone. */
import type { Schemas } from '@/api/client'
import { DataValue, minute } from '@/shared'
import { filesOf, putIn, said } from '../logic/chosen'

defineProps<{
  decisions: Schemas['DecisionOut'][]
  mayDecide: boolean
  busy: boolean
  delivery?: number
  files?: string[]
}>()
const emit = defineEmits<{ undo: [id: number]; send: [id: number] }>()
</script>

<template>
  <table class="lines">
    <thead>
      <tr>
        <th>Decision</th>
        <th>What and why</th>
        <th>Who, when</th>
        <th><span class="away">Undo</span></th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="act in decisions" :key="act.id" :class="{ gone: !act.holds }">
        <td class="said">{{ said(act) }}</td>
        <td>
          <span v-for="cell in putIn(act.details)" :key="cell.name" class="cell"
            ><em>{{ cell.name }}</em> <template v-if="cell.formula">= {{ cell.value }}</template
            ><DataValue v-else :value="cell.value"
          /></span>
          {{ act.justification }}
          <span
            v-for="file in delivery ? filesOf(delivery, act, files ?? []) : []"
            :key="file.label"
            class="cell files"
            >{{ file.label }}
            <a
              v-for="form in file.forms"
              :key="form.label"
              :href="form.address"
              :aria-label="`${file.label}, ${form.label}`"
              download
              >{{ form.label }}</a
            ></span
          >
          <span v-for="file in act.sent" :key="file.name" class="cell soft"
            >{{ file.name }}: where the supplier finds it since {{ minute(file.at) }}</span
          >
          <button
            v-if="mayDecide && act.kind === 'return' && act.holds"
            type="button"
            class="link cell"
            :disabled="busy"
            title="Into the folder of the feed that suppliers reach"
            @click="emit('send', act.id)"
          >
            {{ act.sent.length ? 'Put it there again' : 'Put it where the supplier finds it' }}
          </button>
          <span v-if="act.undone_at" class="soft"
            >undone by {{ act.undone_by || 'Pravin' }}, {{ minute(act.undone_at) }}</span
          >
          <span v-else-if="act.read_otherwise" class="soft"
            >decided before the delivery was read anew; does not hold any more</span
          >
          <span v-else-if="!act.holds" class="soft">its last day is past</span>
        </td>
        <td class="soft who">
          {{ act.who }}<br /><span>{{ minute(act.at) }}</span>
        </td>
        <td class="num">
          <button
            v-if="mayDecide && act.holds"
            type="button"
            class="link"
            :disabled="busy"
            :aria-label="`Undo: ${said(act)}`"
            @click="emit('undo', act.id)"
          >
            Undo
          </button>
        </td>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
.cell {
  display: block;
}
.gone .said {
  color: var(--soft);
  text-decoration: line-through;
}
.said {
  width: 30%;
}
.who {
  white-space: nowrap;
}
.files a {
  margin-left: 8px;
}
button.cell {
  padding: 0;
  text-align: left;
}
.away {
  position: absolute;
  clip-path: inset(50%);
}
em {
  font: 550 12.5px var(--mono);
}
</style>
