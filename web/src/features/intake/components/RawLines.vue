<script setup lang="ts">
/** Raw lines with their numbers and fates; delimiters, borders, line ends and invisible characters are drawn. */
import type { Schemas } from '@/api/client'
import { piecesOf } from '@/shared'
import { lineParts } from '../logic/settings'
import BorderRuler from './BorderRuler.vue'

const props = defineProps<{
  lines: Schemas['LineOut'][]
  delimiter: string
  borders?: number[]
  mayMove?: boolean
}>()
defineEmits<{ borders: [now: number[]] }>()
const OUTCOMES: Record<string, string> = {
  preamble: 'before header',
  header: 'header',
  record: '',
  rejected: 'rejected',
  comment: 'comment',
  'repeated header': 'repeated header',
  totals: 'totals',
}
const drawn = (delimiter: string) => (delimiter === '\t' ? '→' : delimiter === ' ' ? '·' : delimiter)
const longest = () => Math.max(...props.lines.map((line) => line.text.length), 0)
</script>

<template>
  <ol class="raw" tabindex="0" aria-label="The beginning of the file">
    <li v-if="borders" class="ruler" aria-label="Borders of the columns">
      <span class="no"></span><span class="outcome soft">borders</span>
      <BorderRuler
        :borders="borders"
        :width="longest()"
        :disabled="!mayMove"
        @move="$emit('borders', $event)"
      />
    </li>
    <li
      v-for="line in lines"
      :key="line.line"
      :class="line.status.replace(' ', '-')"
      :data-line="line.line"
      :title="line.reason"
    >
      <span class="no">{{ line.line }}</span>
      <span class="outcome">{{ OUTCOMES[line.status] }}</span>
      <span class="text"
        ><template v-for="(cell, i) in lineParts(line.text, delimiter, borders).cells" :key="i"
          ><b v-if="i && !borders" class="mark">{{ drawn(delimiter) }}</b
          ><i v-if="i && borders" class="border"></i
          ><template v-for="(piece, p) in piecesOf(cell)" :key="p"
            ><u v-if="piece.mark && !(borders && piece.text === '·')" class="hidden" :title="piece.name">{{
              piece.text
            }}</u
            ><template v-else-if="piece.mark">{{ ' ' }}</template
            ><template v-else>{{ piece.text }}</template></template
          ></template
        ><i class="mark">{{ lineParts(line.text, delimiter, borders).end }}</i
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
  grid-template-columns: 40px 100px 1fr;
  min-width: max-content;
  line-height: 20px;
}
.ruler {
  position: sticky;
  z-index: 1;
  top: 0;
  background: var(--paper);
}
.no {
  color: var(--soft);
  font: 12px/20px var(--mono);
  text-align: right;
}
.outcome {
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
.border {
  display: inline-block;
  width: 0;
  height: 20px;
  margin-bottom: -5px;
  border-left: 1px solid var(--press);
}
.hidden {
  background: var(--hair);
  color: var(--soft);
  text-decoration: none;
}
.header .text,
.header .outcome {
  color: var(--ink);
  font-weight: 650;
}
.preamble .text,
.comment .text,
.repeated-header .text,
.totals .text {
  color: var(--soft);
}
.rejected {
  background: var(--wash);
}
.rejected .outcome,
.rejected em {
  color: var(--ink);
  font: 650 12px/20px var(--sans);
}
</style>
