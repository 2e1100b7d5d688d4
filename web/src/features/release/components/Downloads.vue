<script setup lang="ts">
/** The data of a release in each format. */
defineProps<{ release: number }>()
const FORMS = [
  ['csv', 'CSV'],
  ['tsv', 'TSV'],
  ['jsonl', 'JSON Lines'],
  ['parquet', 'Parquet'],
]
</script>

<template>
  <span class="downloads">
    <a
      v-for="[form, label] in FORMS"
      :key="form"
      :href="`/api/releases/${release}/data?form=${form}`"
      download
      >{{ label }}</a
    >
  </span>
</template>

<style scoped>
.downloads {
  display: inline-flex;
  gap: 12px;
}
</style>
