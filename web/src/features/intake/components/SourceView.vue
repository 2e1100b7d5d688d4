<script setup lang="ts">
/** One source: on the left as it is, on the right how it is read and what it becomes; both scroll together. */
import { api, unwrap, type Schemas } from '@/api/client'
import { useUnsaved } from '@/app/unsaved'
import { useDelivery } from '@/features/delivery'
import { usePerson } from '@/features/session'
import { bytes, DataValue, plural, StateNote } from '@/shared'
import { keepPreviousData, useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'
import { useRouter } from 'vue-router'
import { chosen, type Request } from '../logic/settings'
import RawGrid from './RawGrid.vue'
import RawLines from './RawLines.vue'
import SourceDoubts from './SourceDoubts.vue'
import SettingsForm from './SettingsForm.vue'

const props = defineProps<{ source: Schemas['SourceOut']; alone: boolean }>()
const router = useRouter()
const queries = useQueryClient()
const { mayWork } = usePerson()
const { id, delivery, refresh } = useDelivery()
const request = ref<Request>({})
watch(
  () => props.source.id,
  () => (request.value = chosen(props.source.request)),
  { immediate: true },
)
const path = computed(() => ({ delivery_id: id.value, source_id: props.source.id }))
const changed = computed(
  () => JSON.stringify(chosen(request.value)) !== JSON.stringify(chosen(props.source.request)),
)
useUnsaved({
  what: () => `The settings of ${props.source.name}`,
  dirty: () => changed.value && !keep.isPending.value && mayWork.value,
})
const look = useQuery({
  queryKey: ['preview', id, computed(() => props.source.id), request],
  queryFn: ({ signal }) =>
    unwrap(
      api.POST('/api/deliveries/{delivery_id}/sources/{source_id}/preview', {
        params: { path: path.value },
        body: chosen(request.value) as Request,
        signal,
      }),
    ),
  placeholderData: keepPreviousData,
  staleTime: Infinity,
})
const shown = computed(() => look.data.value)
const keep = useMutation({
  mutationFn: (left_out: boolean) =>
    unwrap(
      api.PUT('/api/deliveries/{delivery_id}/sources/{source_id}/settings', {
        params: { path: path.value },
        body: { request: chosen(request.value) as Request, left_out },
      }),
    ),
  onSuccess: async () => {
    await refresh()
    await queries.invalidateQueries({ queryKey: ['sources', id.value] })
  },
})
const counts = computed(() => {
  const it = props.source.counts
  if (!it || changed.value) return ''
  const parts = [
    [it.repeated, 'repeated header', 'repeated headers'],
    [it.comments, 'comment or line outside', 'comments or lines outside'],
    [it.totals, 'totals line', 'totals lines'],
    [it.rejected, `rejected ${it.unit}`, `rejected ${it.unit}s`],
    [it.repaired, 'repaired line', 'repaired lines'],
  ] as const
  return [
    plural(it.records, 'record'),
    ...parts.filter(([n]) => n).map(([n, one, many]) => plural(n ?? 0, one, many)),
  ].join(', ')
})

/** Scrolling one side brings the same line to the top of the other. */
const left = ref<HTMLElement>()
const right = ref<HTMLElement>()
let leader: HTMLElement | undefined
function follow(from: HTMLElement | undefined, to: HTMLElement | undefined): void {
  if (!from || !to || leader !== from) return
  const top = from.getBoundingClientRect().top + 24
  const line = [...from.querySelectorAll<HTMLElement>('[data-line]')].find(
    (row) => row.getBoundingClientRect().bottom > top,
  )?.dataset.line
  const target = [...to.querySelectorAll<HTMLElement>('[data-line]')].find(
    (row) => Number(row.dataset.line) >= Number(line),
  )
  if (target) to.scrollTop += target.getBoundingClientRect().top - to.getBoundingClientRect().top - 24
}
</script>

<template>
  <div class="columns">
    <div class="left">
      <h2>
        As it is
        <span class="soft"
          >{{ bytes(source.file.size) }}, SHA-256 {{ source.file.sha256.slice(0, 12) }}…</span
        >
        <a
          v-if="!delivery?.masked?.length"
          class="get"
          :href="`/api/deliveries/${id}/files/${source.file.id}/bytes`"
          download
          >the bytes</a
        >
      </h2>
      <div
        ref="left"
        class="scroll"
        tabindex="-1"
        @scroll="follow(left, right)"
        @pointerenter="leader = left"
        @focusin="leader = left"
      >
        <template v-if="shown?.lines.length">
          <RawGrid
            v-if="shown.view === 'grid'"
            :lines="shown.lines"
            :cells="shown.settings?.cells ?? ''"
            :unit="shown.unit"
          />
          <RawLines
            v-else
            :lines="shown.lines"
            :delimiter="shown.settings?.format === 'delimited' ? shown.settings.delimiter : ''"
            :borders="shown.settings?.format === 'fixed width' ? shown.settings.borders : undefined"
            :may-move="mayWork"
            @borders="(borders) => (request = { ...request, borders })"
          />
          <p v-if="!shown.whole" class="soft more">Reading continues.</p>
        </template>
      </div>
    </div>
    <div class="right">
      <h2>
        How it is read
        <button
          v-if="mayWork && !alone"
          type="button"
          class="link out"
          :disabled="keep.isPending.value"
          @click="keep.mutate(!source.left_out)"
        >
          {{ source.left_out ? 'Include this source' : 'Exclude this source' }}
        </button>
      </h2>
      <p v-if="source.left_out" class="note">This source is left out: none of it is read.</p>
      <SettingsForm v-model="request" :preview="shown" :disabled="!mayWork" />
      <SourceDoubts
        v-if="shown?.doubts.length"
        :doubts="shown.doubts"
        :settings="(shown.settings ?? {}) as Record<string, unknown>"
        :disabled="!mayWork"
        @choose="(change) => (request = { ...request, ...change })"
      />
      <p v-if="changed && mayWork" class="acts">
        <button
          type="button"
          class="btn main"
          :disabled="keep.isPending.value || Boolean(shown?.error)"
          @click="keep.mutate(false)"
        >
          Read with these settings
        </button>
        <button type="button" class="btn" @click="request = chosen(source.request)">Discard changes</button>
      </p>
      <StateNote :error="keep.error.value ?? look.error.value" />
      <p v-if="shown?.error" class="note" role="alert">{{ shown.error }}</p>
      <template v-if="shown?.settings">
        <h2>
          What it becomes
          <span class="soft">{{
            counts || `the first ${plural(shown.records.length, 'record')}, not saved yet`
          }}</span>
        </h2>
        <details v-if="shown.notes.length" class="doubts">
          <summary>{{ plural(shown.notes.length, 'column') }} got another name</summary>
          <p v-for="note in shown.notes" :key="note" class="soft">{{ note }}</p>
        </details>
        <div
          ref="right"
          class="scroll table"
          tabindex="0"
          role="region"
          aria-label="What it becomes"
          @scroll="follow(right, left)"
          @pointerenter="leader = right"
          @focusin="leader = right"
        >
          <table class="lines">
            <thead>
              <tr>
                <th class="num">{{ shown.unit }}</th>
                <th
                  v-for="(name, i) in shown.settings.names"
                  :key="name"
                  class="mono"
                  :class="{ gone: !(source.settings?.columns[i] ?? name) }"
                >
                  {{ name }}
                  <small
                    v-if="
                      !changed && source.settings?.names[i] === name && source.settings.columns[i] !== name
                    "
                    >{{ source.settings.columns[i] ? `is ${source.settings.columns[i]}` : 'left out' }}</small
                  >
                </th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="({ line, cells }, r) in shown.records" :key="r" :data-line="line">
                <td class="num soft">{{ line }}</td>
                <td v-for="(cell, i) in cells" :key="i" :title="cell ?? ''"><DataValue :value="cell" /></td>
              </tr>
            </tbody>
          </table>
        </div>
      </template>
      <p v-if="delivery?.state === 'read' && !changed" class="next">
        <button type="button" class="btn" @click="router.push({ name: 'profile', params: { id } })">
          Go to the profile
        </button>
        <kbd>2</kbd>
      </p>
    </div>
  </div>
</template>

<style scoped>
.columns {
  display: grid;
  flex: 1;
  grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
  min-height: 0;
  border-top: 1px solid var(--hair);
}
.left,
.right {
  display: flex;
  flex-direction: column;
  min-height: 0;
}
.right {
  overflow: auto;
  border-left: 1px solid var(--hair);
  padding: 0 18px 12px;
  background: var(--sheet);
}
.scroll {
  flex: 1;
  min-height: 0;
  overflow: auto;
}
.table {
  min-height: 180px;
}
h2 {
  padding: 9px 0 5px;
  font-size: 13px;
  font-weight: 650;
}
h2 span,
h2 a,
h2 button {
  font-weight: 400;
}
.get,
.out {
  float: right;
  padding-right: 10px;
  font-size: 12px;
}
.note {
  margin: 6px 0;
  border-left: 3px solid var(--ink);
  padding: 2px 12px;
}
.acts {
  display: flex;
  gap: 10px;
  margin-top: 8px;
}
.doubts {
  margin-top: 6px;
}
.doubts summary {
  color: var(--press);
  cursor: pointer;
}
.table td {
  max-width: 220px;
  height: 21px;
  padding: 0 12px 0 0;
  overflow: hidden;
  line-height: 20px;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.table th {
  position: sticky;
  top: 0;
  padding-right: 12px;
  background: var(--sheet);
  vertical-align: bottom;
}
.table th small {
  display: block;
  font-family: var(--sans);
}
.gone {
  text-decoration: line-through;
}
.next {
  margin-top: 9px;
}
.more {
  padding: 6px 0 12px 152px;
}
</style>
