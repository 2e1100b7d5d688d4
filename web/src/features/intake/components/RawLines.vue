<script setup lang="ts">
/** Raw lines with their numbers and fates; delimiters and line ends are drawn. */
import type { Schemas } from '@/api/client'
import { lineParts } from '../logic/settings'

defineProps<{ lines: Schemas['LineOut'][]; delimiter: string }>()
const FATES: Record<string, string> = {
  preamble: 'before header',
  header: 'header',
  record: '',
  rejected: 'rejected',
}
const drawn = (delimiter: string) => (delimiter === '\t' ? '→' : delimiter === ' ' ? '·' : delimiter)
</script>

<template>
  <ol class="raw" tabindex="0" aria-label="The beginning of the file">
    <li v-for="line in lines" :key="line.line" :class="line.fate" :title="line.reason">
      <span class="no">{{ line.line }}</span>
      <span class="fate">{{ FATES[line.fate] }}</span>
      <span class="text"
        ><template v-for="(cell, i) in lineParts(line.text, delimiter).cells" :key="i"
          ><b v-if="i" class="mark">{{ drawn(delimiter) }}</b
          >{{ cell }}</template
        ><i class="mark">{{ lineParts(line.text, delimiter).end }}</i
        ><em v-if="line.reason"> {{ line.reason }}</em></span
      >
    </li>
  </ol>
</template>

<style scoped>
.raw {
  margin: 0;
  padding: 0 10px 0 0;
  list-style: none;
}
li {
  display: grid;
  grid-template-columns: 40px 92px 1fr;
  min-width: max-content;
  line-height: 20px;
}
.no {
  color: var(--soft);
  font: 12px/20px var(--mono);
  text-align: right;
}
.fate {
  padding-left: 12px;
  color: var(--soft);
  font-size: 12px;
}
.text {
  font: 12px/20px var(--mono);
  white-space: pre;
}
.mark {
  color: var(--press);
  font-weight: 400;
  font-style: normal;
}
.header .text,
.header .fate {
  color: var(--ink);
  font-weight: 650;
}
.preamble .text {
  color: var(--soft);
}
.rejected {
  background: var(--wash);
}
.rejected .fate,
.rejected em {
  color: var(--ink);
  font: 650 12px var(--sans);
}
</style>
