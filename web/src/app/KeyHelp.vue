<script setup lang="ts">
import { DialogBox } from '@/shared'

const emit = defineEmits<{ close: [] }>()
const KEYS = [
  ['0 … 5', 'New, Intake, Profile, Rules, Quarantine, Release of a delivery'],
  ['j  k', 'next and previous column, rule or record'],
  ['Enter', 'open, or save what is being edited'],
  ['Ctrl+Enter', 'save the rule from any of its fields'],
  ['w', 'findings, and back to the columns'],
  ['a  x', 'accept the finding, dismiss it; in Quarantine decide on all that fit, mark the record'],
  ['d', 'in Quarantine to what is to be decided'],
  ['e  i  s  u', 'in New: expected from now on, ignore this time, ask the supplier, take the answer back'],
  ['[  ]  ←  →', 'in the calendar: the month before and after, the day before and after'],
  ['n', 'new rule'],
  ['e  h  t', 'rule by example, history, rulebook as text'],
  ['o  Delete', 'switch the rule off or on, remove it; in Quarantine o opens all about the record'],
  ['Alt+↑  Alt+↓', 'move the rule'],
  ['Ctrl+Z  Ctrl+Shift+Z', 'undo and redo changes of the rulebook, also those of other days'],
  ['r', 'open all records of the delivery'],
  ['/  Ctrl+K', 'go to a feed, place or column'],
  ['Esc', 'close what lies on top'],
  ['?', 'this list'],
]
</script>

<template>
  <DialogBox title="Keys" :width="520" @close="emit('close')">
    <p class="soft">They do nothing while you type in a field.</p>
    <table class="lines">
      <tbody>
        <tr v-for="[key, what] in KEYS" :key="key">
          <td class="mono keys">{{ key }}</td>
          <td>{{ what }}</td>
        </tr>
      </tbody>
    </table>
  </DialogBox>
</template>

<style scoped>
.keys {
  width: 170px;
  white-space: nowrap;
}
</style>
