<script setup lang="ts">
/** Who may come in and what they may do; one's own password. */
import { api, unwrap, type Schemas } from '@/api/client'
import { usePerson } from '@/features/session'
import { ask, minute, plural, StateNote } from '@/shared'
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import AddPerson from '../components/AddPerson.vue'
import OwnPassword from '../components/OwnPassword.vue'
import SignIns from '../components/SignIns.vue'
import { ROLES, withRole } from '../logic/roles'

type Person = Schemas['PersonLine']
const { person, mayAdminister } = usePerson()
const queries = useQueryClient()
const { data, error, isLoading } = useQuery({
  queryKey: ['people'],
  queryFn: () => unwrap(api.GET('/api/people')),
  enabled: mayAdminister,
})
const refresh = () => queries.invalidateQueries({ queryKey: ['people'] })
const search = ref('')
const shown = computed(() => {
  const word = search.value.trim().toLowerCase()
  return (data.value ?? []).filter(({ username, name, roles }) =>
    [username, name, ...roles].some((text) => text.toLowerCase().includes(word)),
  )
})

const adding = ref(false)
/** The person whose sign-ins are shown. */
const looked = ref<number>()
/** A one-time address just made: it is shown this once. */
const invited = ref<{ username: string; address: string }>()
const copied = ref(false)
function tell({ username, path }: Schemas['Invited']): void {
  invited.value = { username, address: location.origin + path }
  copied.value = false
}
async function copy(): Promise<void> {
  await navigator.clipboard?.writeText(invited.value?.address ?? '')
  copied.value = true
}
function added(made: Schemas['Invited']): void {
  tell(made)
  adding.value = false
  void refresh()
}
const change = useMutation({
  mutationFn: ({ id, body }: { id: number; body: Schemas['PersonChange'] }) =>
    unwrap(api.PATCH('/api/people/{person_id}', { params: { path: { person_id: id } }, body })),
  onSettled: refresh,
})
const reset = useMutation({
  mutationFn: (id: number) =>
    unwrap(api.POST('/api/people/{person_id}/reset', { params: { path: { person_id: id } } })),
  onSuccess: (created) => {
    tell(created)
    void refresh()
  },
})
async function disable(person: Person): Promise<void> {
  const tokens = person.tokens ? ` and ${plural(person.tokens, 'token')} withdrawn` : ''
  const content = `Sessions are ended at once${tokens}. Their work stays.`
  if (await ask({ title: `Disable ${person.name}?`, content, yes: 'Disable' }))
    change.mutate({ id: person.id, body: { active: false } })
}
async function askReset(owner: Person): Promise<void> {
  const content =
    'The current password ends at once. You get an address at which a new one is chosen, once, within a day.'
  if (await ask({ title: `Reset the password of ${owner.name}?`, content, yes: 'Reset password' }))
    reset.mutate(owner.id)
}
</script>

<template>
  <main class="page">
    <header>
      <h1>People</h1>
      <template v-if="mayAdminister">
        <label class="hidden-label" for="find-person">Find a person</label>
        <input id="find-person" v-model="search" class="field find" placeholder="Find a person" />
        <button v-if="!adding" type="button" class="btn" @click="adding = true">Add person</button>
      </template>
    </header>
    <AddPerson v-if="adding" @added="added" @cancel="adding = false" />
    <StateNote :error="change.error.value ?? reset.error.value" />
    <p v-if="invited" class="invited" role="status">
      Give this address to <b>{{ invited.username }}</b>: it works once, within a day, and is shown only now.
      <code>{{ invited.address }}</code>
      <button type="button" class="link" @click="copy">{{ copied ? 'copied' : 'Copy' }}</button>
      <button type="button" class="link" @click="invited = undefined">Done</button>
    </p>
    <template v-if="mayAdminister">
      <StateNote :loading="isLoading" :error="error" />
      <StateNote v-if="data && !shown.length" empty="Nobody matches." />
      <table v-if="shown.length" class="lines">
        <thead>
          <tr>
            <th>Signs in as</th>
            <th>Name</th>
            <th v-for="{ role, may } in ROLES" :key="role" :title="may">{{ role }}</th>
            <th>Last signed in</th>
            <th class="num">Tokens</th>
            <th></th>
          </tr>
        </thead>
        <tbody>
          <template v-for="item in shown" :key="item.id">
            <tr :class="{ off: !item.active }">
              <td class="mono">{{ item.username }}</td>
              <td>{{ item.name }}</td>
              <td v-for="{ role } in ROLES" :key="role">
                <input
                  type="checkbox"
                  :aria-label="`${item.name} is ${role}`"
                  :checked="item.roles.includes(role)"
                  :disabled="!item.active || change.isPending.value"
                  @change="
                    change.mutate({
                      id: item.id,
                      body: {
                        roles: withRole(item.roles, role, ($event.target as HTMLInputElement).checked),
                      },
                    })
                  "
                />
              </td>
              <td class="mono">
                <button
                  v-if="item.last_signed_in"
                  type="button"
                  class="link mono"
                  :aria-expanded="looked === item.id"
                  :aria-label="`Sign-ins of ${item.name}, last ${minute(item.last_signed_in)}`"
                  @click="looked = looked === item.id ? undefined : item.id"
                >
                  {{ minute(item.last_signed_in) }}
                </button>
                <template v-else>{{ item.has_password ? 'never' : 'not joined yet' }}</template>
              </td>
              <td class="num">{{ item.tokens }}</td>
              <td>
                <span class="acts">
                  <template v-if="item.active">
                    <button type="button" class="link" @click="askReset(item)">Reset password</button>
                    <button
                      v-if="item.username !== person?.username"
                      type="button"
                      class="link"
                      @click="disable(item)"
                    >
                      Disable
                    </button>
                  </template>
                  <button
                    v-else
                    type="button"
                    class="link"
                    @click="change.mutate({ id: item.id, body: { active: true } })"
                  >
                    Enable
                  </button>
                </span>
              </td>
            </tr>
            <tr v-if="looked === item.id">
              <td :colspan="5 + ROLES.length" class="below"><SignIns :person="item.id" /></td>
            </tr>
          </template>
        </tbody>
      </table>
    </template>
    <p v-else class="soft">Administrators manage people. Here you change your own password.</p>
    <OwnPassword />
  </main>
</template>

<style scoped>
.find {
  width: 170px;
}
.below {
  background: var(--tint, transparent);
}
.acts {
  display: flex;
  gap: 12px;
}
.invited {
  border-left: 3px solid var(--ink);
  margin: 6px 0 14px;
  padding: 4px 12px;
}
.invited code {
  display: block;
  margin: 4px 0;
  font: 12.5px var(--mono);
  overflow-wrap: anywhere;
}
.invited .link {
  margin-right: 12px;
}
input[type='checkbox'] {
  accent-color: var(--press);
}
.off td {
  color: var(--soft);
}
</style>
