<script setup lang="ts">
/** The import settings, few and in words, each with its evidence. Empty means: as detected. */
import type { Schemas } from '@/api/client'
import { computed } from 'vue'
import { DELIMITERS, ENCODINGS, namesFrom, QUOTES, type Request } from '../logic/settings'

const request = defineModel<Request>({ required: true })
const props = defineProps<{ preview?: Schemas['PreviewOut']; disabled?: boolean }>()
const used = computed(() => props.preview?.settings)
const evidence = computed(() => props.preview?.evidence ?? {})
const delimiterName = computed(
  () => DELIMITERS.find(([mark]) => mark === used.value?.delimiter)?.[1] ?? used.value?.delimiter,
)

function set(name: keyof Request, value: unknown): void {
  request.value = { ...request.value, [name]: value }
}
const text = (event: Event) => (event.target as HTMLInputElement | HTMLSelectElement).value
function setHeader(event: Event): void {
  const value = text(event)
  set('header', value === '' ? null : value === 'yes')
}
function setSkip(event: Event): void {
  const value = text(event)
  set('skip_lines', value === '' ? null : Math.max(0, Math.min(10_000, Number(value))))
}
</script>

<template>
  <fieldset class="settings" :disabled="disabled">
    <legend class="hidden-label">Import settings</legend>
    <label for="set-delimiter">Delimiter</label>
    <select
      id="set-delimiter"
      class="field"
      :value="request.delimiter ?? ''"
      @change="set('delimiter', text($event) || null)"
    >
      <option value="">{{ delimiterName ?? 'detected' }} (detected)</option>
      <option v-for="[mark, name] in DELIMITERS" :key="mark" :value="mark">{{ name }}</option>
    </select>
    <span class="soft">{{ evidence.delimiter }}</span>

    <label for="set-encoding">Encoding</label>
    <select
      id="set-encoding"
      class="field"
      :value="request.encoding ?? ''"
      @change="set('encoding', text($event) || null)"
    >
      <option value="">{{ used?.encoding ?? 'detected' }} (detected)</option>
      <option v-for="name in ENCODINGS" :key="name">{{ name }}</option>
    </select>
    <span class="soft">{{ evidence.encoding }}</span>

    <label for="set-header">Header</label>
    <select
      id="set-header"
      class="field"
      :value="request.header === undefined || request.header === null ? '' : request.header ? 'yes' : 'no'"
      @change="setHeader"
    >
      <option value="">{{ used ? (used.header ? 'yes' : 'none') : 'as' }} (detected)</option>
      <option value="yes">yes</option>
      <option value="no">none</option>
    </select>
    <span class="soft">{{ evidence.header }}</span>

    <label for="set-skip">Lines before it</label>
    <input
      id="set-skip"
      class="field"
      type="number"
      min="0"
      max="10000"
      :placeholder="`${used?.skip_lines ?? 0} (detected)`"
      :value="request.skip_lines ?? ''"
      @input="setSkip"
    />
    <span class="soft">{{ evidence.skip_lines }}</span>

    <label for="set-quote">Quotation mark</label>
    <select
      id="set-quote"
      class="field"
      :value="request.quote ?? 'detected'"
      @change="set('quote', text($event) === 'detected' ? null : text($event))"
    >
      <option value="detected">{{ QUOTES.find(([q]) => q === used?.quote)?.[1] ?? '' }} (detected)</option>
      <option v-for="[mark, name] in QUOTES" :key="name" :value="mark">{{ name }}</option>
    </select>
    <span class="soft">{{ evidence.quote }}</span>

    <label for="set-names">Column names</label>
    <input
      id="set-names"
      class="field"
      :placeholder="used ? `${used.names.length} names` : ''"
      :value="(request.names ?? []).join(', ')"
      @change="set('names', namesFrom(text($event)))"
    />
    <span class="soft">{{ evidence.names }}; type others, separated by commas</span>
  </fieldset>
</template>

<style scoped>
.settings {
  display: grid;
  grid-template-columns: 104px 172px minmax(0, 1fr);
  gap: 4px 12px;
  align-items: baseline;
  margin: 0;
  border: 0;
  padding: 0;
}
label {
  color: var(--soft);
}
span {
  font-size: 12px;
}
</style>
