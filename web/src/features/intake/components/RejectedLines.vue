<script setup lang="ts">
/** The rejected lines with their raw text and reason; one can be repaired by hand and joins the records. */
import { api, unwrap, type Schemas } from '@/api/client'
import { useDelivery } from '@/features/delivery'
import { usePerson } from '@/features/session'
import { count, day, StateNote } from '@/shared'
import { keepPreviousData, useMutation, useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import RepairLine from './RepairLine.vue'

const props = defineProps<{ delivery: number }>()
const SIZE = 200
const { delivery: work, refresh } = useDelivery()
const { mayWork } = usePerson()
const offset = ref(0)
const open = ref('')
const { data, error, isLoading } = useQuery({
  queryKey: ['rejected', computed(() => props.delivery), computed(() => work.value?.state), offset],
  queryFn: () =>
    unwrap(
      api.GET('/api/deliveries/{delivery_id}/rejected', {
        params: { path: { delivery_id: props.delivery }, query: { offset: offset.value, limit: SIZE } },
      }),
    ),
  placeholderData: keepPreviousData,
})
const back = useMutation({
  mutationFn: ({ source, line }: Schemas['RepairOut']) =>
    unwrap(
      api.DELETE('/api/deliveries/{delivery_id}/sources/{source_id}/repairs/{line}', {
        params: { path: { delivery_id: props.delivery, source_id: source, line } },
      }),
    ),
  onSettled: refresh,
})
const key = (line: { source: number; line: number }) => `${line.source}-${line.line}`
const may = computed(() => mayWork.value && work.value?.release !== 'published')
</script>

<template>
  <div class="place-view" tabindex="0" role="region" aria-label="Rejected lines">
    <StateNote :loading="isLoading" :error="error ?? back.error.value" />
    <p v-if="data?.total" class="tools">
      {{ count(data.total) }} rejected; they count in the reconciliation.
      <a v-if="!work?.masked?.length" :href="`/api/deliveries/${delivery}/rejected.csv`" download
        >Download them as CSV</a
      >
    </p>
    <StateNote
      v-if="data && !data.total && !data.repairs.length"
      empty="No line is rejected: all of them were read."
    />
    <table v-if="data?.lines.length" class="lines">
      <thead>
        <tr>
          <th>Source</th>
          <th class="num">Line</th>
          <th>Why it is rejected</th>
          <th>Raw text</th>
          <th><span class="hidden-label">Repair</span></th>
        </tr>
      </thead>
      <tbody v-for="line in data.lines" :key="key(line)">
        <tr>
          <td class="mono file">{{ line.file }}</td>
          <td class="num">{{ count(line.line) }}</td>
          <td class="why">{{ line.reason }}</td>
          <td class="mono raw">{{ line.text || '(nothing)' }}</td>
          <td class="num">
            <button
              v-if="may"
              type="button"
              class="link act"
              :aria-expanded="open === key(line)"
              @click="open = open === key(line) ? '' : key(line)"
            >
              Repair
            </button>
          </td>
        </tr>
        <tr v-if="open === key(line)">
          <td colspan="5">
            <RepairLine :delivery="delivery" :line="line" @done="((open = ''), refresh())" />
          </td>
        </tr>
      </tbody>
    </table>
    <p v-if="data && data.total > SIZE" class="tools">
      {{ count(offset + 1) }} to {{ count(Math.min(offset + SIZE, data.total)) }} of {{ count(data.total) }}
      <button v-if="offset" type="button" class="link" @click="offset -= SIZE">Earlier</button>
      <button v-if="offset + SIZE < data.total" type="button" class="link" @click="offset += SIZE">
        Later
      </button>
    </p>
    <template v-if="data?.repairs.length">
      <h2>Repaired by hand</h2>
      <table class="lines">
        <thead>
          <tr>
            <th>Source</th>
            <th class="num">Line</th>
            <th>As delivered, and as repaired</th>
            <th>By</th>
            <th><span class="hidden-label">Undo repair</span></th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="repair in data.repairs" :key="key(repair)">
            <td class="mono file">{{ repair.file }}</td>
            <td class="num">{{ count(repair.line) }}</td>
            <td class="mono raw">
              <span class="was">{{ repair.original }}</span><br />{{ repair.text }}
            </td>
            <td>{{ repair.who }}, {{ day(repair.at) }}</td>
            <td class="num">
              <button v-if="may" type="button" class="link act" @click="back.mutate(repair)">
                Undo repair
              </button>
            </td>
          </tr>
        </tbody>
      </table>
    </template>
  </div>
</template>

<style scoped>
.why {
  min-width: 210px;
}
.file {
  white-space: nowrap;
}
.act {
  font: 13px var(--sans);
  white-space: nowrap;
}
.raw {
  overflow-wrap: anywhere;
  white-space: pre-wrap;
}
.was {
  color: var(--soft);
  text-decoration: line-through;
}
</style>
