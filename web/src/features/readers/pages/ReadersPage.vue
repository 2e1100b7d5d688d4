<script setup lang="ts">
/** Readers of released tables: how they connect, what they may read, who is connected. */
import { api, unwrap, type Schemas } from '@/api/client'
import { usePerson } from '@/features/session'
import { ask, count, minute, plural, StateNote } from '@/shared'
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { ref } from 'vue'
import CopyText from '../components/CopyText.vue'
import NewReader from '../components/NewReader.vue'
import ReaderDetails from '../components/ReaderDetails.vue'

type Reader = Schemas['ReaderOut']
const { mayRelease } = usePerson()
const queries = useQueryClient()
const { data, error, isLoading } = useQuery({
  queryKey: ['readers'],
  queryFn: () => unwrap(api.GET('/api/readers')),
})
const refresh = () => queries.invalidateQueries({ queryKey: ['readers'] })
const making = ref(false)
const opened = ref<number>()
/** A password just made: it is shown this once. */
const given = ref<{ name: string; password: string }>()
function made(name: string, { id, password }: Schemas['ReaderMade']): void {
  given.value = { name, password }
  making.value = false
  opened.value = id
  void refresh()
}
const path = (id: number) => ({ params: { path: { reader_id: id } } })
const renew = useMutation({
  mutationFn: ({ id }: Reader) => unwrap(api.POST('/api/readers/{reader_id}/password', path(id))),
  onSuccess: ({ password }, { name }) => (given.value = { name, password }),
  onSettled: refresh,
})
const end = useMutation({
  mutationFn: ({ id }: Reader) => unwrap(api.DELETE('/api/readers/{reader_id}', path(id))),
  onSettled: refresh,
})
async function askRenew(reader: Reader): Promise<void> {
  const content = 'The password that holds now is refused from then on. Connections that stand are not ended.'
  if (await ask({ title: `Give ${reader.name} another password?`, content, yes: 'New password' }))
    renew.mutate(reader)
}
async function askEnd(reader: Reader): Promise<void> {
  const standing = reader.connections.length
  const content = `Its role in the database ends${standing ? `, and ${plural(standing, 'connection')} with it` : ''}.`
  if (await ask({ title: `End the reader ${reader.name}?`, content, yes: 'End reader' })) end.mutate(reader)
}
const named = (reader: Reader) =>
  (data.value?.feeds ?? []).filter(({ slug }) => reader.feeds.includes(slug)).map(({ name }) => name)
</script>

<template>
  <main class="page">
    <header>
      <h1>Readers</h1>
      <RouterLink :to="{ name: 'releases' }">Releases</RouterLink>
      <button v-if="mayRelease && !making && data" type="button" class="btn" @click="making = true">
        New reader
      </button>
    </header>
    <p v-if="data" class="where">
      Released tables are read in PostgreSQL: host <b class="mono">{{ data.host }}</b>, port
      <b class="mono">{{ data.port }}</b>, database <b class="mono">{{ data.database }}</b>. Each reader has a
      role of its own, which sees the views it is given and nothing else.
    </p>
    <NewReader v-if="making && data" :feeds="data.feeds" @made="made" @cancel="making = false" />
    <StateNote :error="renew.error.value ?? end.error.value" />
    <div v-if="given" class="given" role="status">
      The password of <b>{{ given.name }}</b>, shown only now:
      <CopyText :text="given.password" label="the password" />
      <button type="button" class="link" @click="given = undefined">Done</button>
    </div>
    <StateNote :loading="isLoading" :error="error" />
    <StateNote
      v-if="data && !data.readers.length && !making"
      empty="There is no reader yet. An approver makes one for each program or person that reads released tables."
    />
    <table v-if="data?.readers.length" class="lines">
      <thead>
        <tr>
          <th>Reader</th>
          <th>Role in the database</th>
          <th>May read</th>
          <th class="num">Connected</th>
          <th>Password since</th>
          <th>Made by</th>
          <th><span class="hidden-label">Change</span></th>
        </tr>
      </thead>
      <tbody>
        <template v-for="reader in data.readers" :key="reader.id">
          <tr>
            <td>
              <button
                type="button"
                class="link"
                :aria-expanded="opened === reader.id"
                @click="opened = opened === reader.id ? undefined : reader.id"
              >
                {{ reader.name }}
              </button>
            </td>
            <td class="mono">{{ reader.role }}</td>
            <td :title="named(reader).join('\n')">
              {{
                named(reader).length > 3
                  ? plural(named(reader).length, 'feed')
                  : named(reader).join(', ') || 'nothing'
              }}
            </td>
            <td class="num">{{ count(reader.connections.length) }}</td>
            <td class="mono">{{ minute(reader.password_at) }}</td>
            <td>{{ reader.made_by }}</td>
            <td>
              <span v-if="mayRelease" class="acts">
                <button type="button" class="link" @click="askRenew(reader)">New password</button>
                <button type="button" class="link" @click="askEnd(reader)">End</button>
              </span>
            </td>
          </tr>
          <tr v-if="opened === reader.id">
            <td colspan="7">
              <ReaderDetails
                :reader="reader"
                :where="data"
                :feeds="data.feeds"
                :may-change="mayRelease"
                @changed="refresh"
              />
            </td>
          </tr>
        </template>
      </tbody>
    </table>
  </main>
</template>

<style scoped>
.where {
  max-width: 760px;
  margin: 0 0 14px;
}
.acts {
  display: flex;
  gap: 12px;
}
.given {
  border-left: 3px solid var(--ink);
  margin: 6px 0 14px;
  padding: 4px 12px;
}
</style>
