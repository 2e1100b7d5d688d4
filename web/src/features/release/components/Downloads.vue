<script setup lang="ts">
/** The data of a release in each format; whether delimited text is made safe for spreadsheets is chosen here, for all. */
import { ref } from 'vue'
import { useSafeTexts } from '../composables/safeTexts'
import OutputDialog from './OutputDialog.vue'

defineProps<{ release: number }>()
const FORMS = [
  ['csv', 'CSV'],
  ['tsv', 'TSV'],
  ['xlsx', 'XLSX'],
  ['jsonl', 'JSON Lines'],
  ['parquet', 'Parquet'],
]
const safe = useSafeTexts()
const choosing = ref(false)
</script>

<template>
  <span class="downloads">
    <a
      v-for="[form, label] in FORMS"
      :key="form"
      :href="`/api/releases/${release}/data?form=${form}&defused=${safe}`"
      download
      >{{ label }}</a
    >
    <a
      :href="`/api/releases/${release}/package`"
      download
      title="Data, data dictionary (Data Package, CSV on the Web), a table for PostgreSQL, the rules, the reconciliation, checksums, as one ZIP archive"
      >Package</a
    >
    <button type="button" class="link" @click="choosing = true">Another form</button>
    <OutputDialog v-if="choosing" :release="release" @close="choosing = false" />
    <label
      class="check"
      title="In CSV and TSV an apostrophe is put before texts that a spreadsheet would run as a formula (=A1+1, @SUM). Numbers, dates and telephone numbers stay as they are."
      ><input v-model="safe" type="checkbox" />safe for spreadsheets</label
    >
  </span>
</template>

<style scoped>
.downloads {
  display: inline-flex;
  align-items: baseline;
  flex-wrap: wrap;
  gap: 0 12px;
}
.check input {
  margin-right: 5px;
}
</style>
