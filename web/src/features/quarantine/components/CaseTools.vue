<script setup lang="ts">
/** Above the cases: which of them, how many, a search, all at once, and as a file. */
import type { Schemas } from '@/api/client'
import { useAddress } from '@/app/address'
import { count, plural } from '@/shared'
import { computed, ref } from 'vue'
import { useRoute } from 'vue-router'
import type { Standing } from '../logic/chosen'

const props = defineProps<{
  delivery: number
  all: Schemas['QuarantineOut']
  standing: Standing
  total: number
  parameters: Record<string, unknown>
  mayDecide: boolean
  mayDownload: boolean
}>()
const isAllFit = defineModel<boolean>('isAllFit', { required: true })
const { ask } = useAddress()
const route = useRoute()
const search = ref(typeof route.query.text === 'string' ? route.query.text : '')
function find(): void {
  ask({ text: search.value || undefined, record: undefined })
}
const standings = computed(() => {
  const every: { standing: Standing; label: string; records: number }[] = [
    { standing: 'waiting', label: 'waiting', records: props.all.waiting },
    { standing: 'settled', label: 'settled by a later delivery', records: props.all.settled },
    { standing: 'again', label: 'came again, waiting there', records: props.all.again },
  ]
  return every.filter((each) => each.standing === 'waiting' || each.records)
})
const FORMS = [
  { form: 'csv', label: 'CSV', about: 'comma-separated text, for spreadsheets' },
  { form: 'xlsx', label: 'XLSX', about: 'a workbook, all of it text' },
  { form: 'jsonl', label: 'JSON', about: 'a JSON object in each line' },
  { form: 'parquet', label: 'Parquet', about: 'a columnar file' },
] // prettier-ignore
function fileOf(form: string): string {
  const said = Object.entries({ ...props.parameters, form }).filter(([, value]) => value !== undefined)
  const asked = new URLSearchParams(said.map(([name, value]) => [name, String(value)]))
  return `/api/deliveries/${props.delivery}/quarantine/file?${asked}`
}
</script>

<template>
  <div class="tools">
    <nav v-if="standings.length > 1" class="standings" aria-label="Which">
      <button
        v-for="each in standings"
        :key="each.standing"
        type="button"
        class="link"
        :aria-pressed="standing === each.standing"
        @click="ask({ standing: each.standing === 'waiting' ? undefined : each.standing, record: undefined })"
      >
        <b>{{ count(each.records) }}</b> {{ each.label }}
      </button>
    </nav>
    <b v-else class="total">{{ plural(total, 'record') }}</b>
    <form role="search" @submit.prevent="find">
      <input
        v-model="search"
        class="field search"
        type="search"
        aria-label="Search in the quarantined records"
        placeholder="Search a value"
        @search="find"
      />
    </form>
    <button
      v-if="mayDecide && total > 1"
      type="button"
      class="link"
      :aria-pressed="isAllFit"
      @click="isAllFit = !isAllFit"
    >
      {{ isAllFit ? 'Only the chosen' : `Decide on all ${count(total)}` }}
    </button>
    <span v-if="total && mayDownload" class="files"
      ><a
        v-for="each in FORMS"
        :key="each.form"
        :href="fileOf(each.form)"
        :title="`The ${count(total)} records as a file: ${each.about}`"
        download
        >{{ each.label }}</a
      ></span
    >
  </div>
</template>

<style scoped>
.total {
  color: var(--ink);
  font-weight: 650;
}
.standings {
  display: flex;
  gap: 14px;
}
.standings [aria-pressed='true'] {
  border-bottom: 2px solid var(--ink);
  color: var(--ink);
}
.search {
  width: 130px;
}
.files {
  display: flex;
  gap: 10px;
  margin-left: auto;
}
</style>
