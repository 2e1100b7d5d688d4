<script setup lang="ts">
/** Intake: on the left the file as it is, on the right what it becomes; a change of settings re-reads at once. */
import { api, must } from '@/api/client'
import { useDelivery } from '@/features/delivery'
import { usePerson } from '@/features/session'
import { bytes, count, DataValue, plural, StateNote } from '@/shared'
import { keepPreviousData, useMutation, useQuery } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import RawLines from '../components/RawLines.vue'
import RejectedLines from '../components/RejectedLines.vue'
import SettingsForm from '../components/SettingsForm.vue'
import { chosen, type Request } from '../logic/settings'

const route = useRoute()
const router = useRouter()
const { mayWork } = usePerson()
const { id, delivery, refresh } = useDelivery()
const path = computed(() => ({ delivery_id: id.value }))
const files = useQuery({
  queryKey: ['files', id, computed(() => delivery.value?.state)],
  queryFn: () => must(api.GET('/api/deliveries/{delivery_id}/files', { params: { path: path.value } })),
  placeholderData: keepPreviousData,
})
const file = computed(
  () => files.data.value?.find((one) => one.id === Number(route.query.file)) ?? files.data.value?.[0],
)
const request = ref<Request>({})
watch(
  file,
  (now, before) => {
    if (now && now.id !== before?.id) request.value = chosen(now.request)
  },
  { immediate: true },
)
const changed = computed(
  () => JSON.stringify(chosen(request.value)) !== JSON.stringify(chosen(file.value?.request ?? {})),
)
const look = useQuery({
  queryKey: ['preview', id, computed(() => file.value?.id), request],
  queryFn: ({ signal }) =>
    must(
      api.POST('/api/deliveries/{delivery_id}/files/{file_id}/preview', {
        params: { path: { ...path.value, file_id: file.value?.id ?? 0 } },
        body: chosen(request.value) as Request,
        signal,
      }),
    ),
  enabled: () => Boolean(file.value),
  placeholderData: keepPreviousData,
  staleTime: Infinity,
})
const read = useMutation({
  mutationFn: () =>
    must(
      api.PUT('/api/deliveries/{delivery_id}/files/{file_id}/settings', {
        params: { path: { ...path.value, file_id: file.value?.id ?? 0 } },
        body: chosen(request.value) as Request,
      }),
    ),
  onSuccess: async () => {
    await refresh()
    await files.refetch()
  },
})
const again = useMutation({
  mutationFn: () => must(api.POST('/api/deliveries/{delivery_id}/read', { params: { path: path.value } })),
  onSettled: refresh,
})
const showRejected = computed(() => route.query.rejected === '1')
const problem = computed(() => {
  const error = delivery.value?.error as
    { title?: string; detail?: string; advice?: string } | null | undefined
  return error ? `${error.title}: ${error.detail ?? ''} ${error.advice ?? ''}` : ''
})
</script>

<template>
  <section class="intake">
    <StateNote v-if="!files.data.value" :loading="files.isLoading.value" :error="files.error.value" />
    <div v-if="problem" class="failed" role="alert">
      <p><b>The delivery could not be read.</b> {{ problem }}</p>
      <p v-if="mayWork">
        The bytes are kept. Change the settings below, or
        <button type="button" class="link" @click="again.mutate()">read it again</button>.
      </p>
    </div>
    <nav v-if="files.data.value" class="tools files" aria-label="Source files">
      <RouterLink
        v-for="one in files.data.value"
        :key="one.id"
        :to="{ query: { file: one.id } }"
        :class="{ on: one.id === file?.id && !showRejected }"
        :aria-current="one.id === file?.id && !showRejected"
      >
        <span class="mono">{{ one.name }}</span>
        <small class="soft">{{
          one.counts ? plural(Number(one.counts.records), 'record') : bytes(one.size)
        }}</small>
      </RouterLink>
      <RouterLink
        v-if="delivery?.balance.rejected"
        :to="{ query: { rejected: '1' } }"
        :class="{ on: showRejected }"
        class="rejected"
        ><span>Rejected lines</span
        ><small class="soft">{{ count(delivery.balance.rejected) }}</small></RouterLink
      >
    </nav>
    <RejectedLines v-if="showRejected" :delivery="id" />
    <div v-else-if="file" class="columns">
      <div class="left">
        <h2>
          The file as it is
          <span class="soft">{{ bytes(file.size) }}, SHA-256 {{ file.sha256.slice(0, 12) }}…</span>
        </h2>
        <RawLines
          v-if="look.data.value?.lines.length"
          :lines="look.data.value.lines"
          :delimiter="look.data.value.settings?.delimiter ?? ','"
        />
        <p v-if="look.data.value?.lines.length && !look.data.value.whole" class="soft more">
          The file goes on.
        </p>
      </div>
      <div class="right">
        <h2>How it is read</h2>
        <SettingsForm v-model="request" :preview="look.data.value" :disabled="!mayWork" />
        <p v-if="changed && mayWork" class="acts">
          <button
            type="button"
            class="btn main"
            :disabled="read.isPending.value || Boolean(look.data.value?.error)"
            @click="read.mutate()"
          >
            Read with these settings
          </button>
          <button type="button" class="btn" @click="request = chosen(file.request)">
            Back to the kept ones
          </button>
        </p>
        <StateNote :error="read.error.value ?? look.error.value" />
        <p v-if="look.data.value?.error" class="failed" role="alert">{{ look.data.value.error }}</p>
        <template v-if="look.data.value?.settings">
          <h2>
            What it becomes
            <span class="soft">{{
              file.counts && !changed
                ? `${plural(Number(file.counts.records), 'record')}, ${plural(Number(file.counts.rejected), 'rejected line')}`
                : `the first ${plural(look.data.value.records.length, 'record')}`
            }}</span>
          </h2>
          <p v-for="note in look.data.value.notes" :key="note" class="soft">{{ note }}</p>
          <div class="table" tabindex="0" role="region" aria-label="What it becomes">
            <table class="lines">
              <thead>
                <tr>
                  <th class="num">Line</th>
                  <th v-for="name in look.data.value.settings.names" :key="name" class="mono">{{ name }}</th>
                </tr>
              </thead>
              <tbody>
                <tr v-for="{ line, cells } in look.data.value.records" :key="line">
                  <td class="num soft">{{ line }}</td>
                  <td v-for="(cell, i) in cells" :key="i" :title="cell"><DataValue :value="cell" /></td>
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
  </section>
</template>

<style scoped>
.intake {
  display: flex;
  flex: 1;
  flex-direction: column;
  min-width: 0;
  padding-left: 20px;
}
.files {
  flex-wrap: wrap;
  gap: 4px 20px;
}
.files a {
  display: flex;
  gap: 7px;
  align-items: baseline;
  color: var(--soft);
}
.files a.on {
  border-bottom: 2px solid var(--ink);
  color: var(--ink);
}
.rejected {
  margin-left: auto;
}
.columns {
  display: grid;
  flex: 1;
  grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
  min-height: 0;
  border-top: 1px solid var(--hair);
}
.left,
.right {
  min-height: 0;
  overflow: auto;
}
.right {
  display: flex;
  flex-direction: column;
  border-left: 1px solid var(--hair);
  padding: 0 18px 16px;
  background: var(--sheet);
}
h2 {
  padding: 10px 0 6px;
  font-size: 13px;
  font-weight: 650;
}
h2 span {
  font-weight: 400;
}
.failed {
  margin: 10px 20px 4px 0;
  border-left: 3px solid var(--ink);
  padding: 4px 12px;
}
.acts {
  display: flex;
  gap: 10px;
  margin-top: 10px;
}
.table {
  flex: 1;
  min-height: 140px;
  overflow: auto;
}
.table td {
  max-width: 220px;
  padding: 3px 12px 3px 0;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.table th {
  position: sticky;
  top: 0;
  padding-right: 12px;
  background: var(--sheet);
}
.next {
  margin-top: 12px;
}
.more {
  padding: 6px 0 12px;
}
</style>
