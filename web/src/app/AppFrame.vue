<script setup lang="ts">
/** The frame: the rail with the places of the product, search, help, and who is signed in. */
import { api, unwrap, Problem, signedOut } from '@/api/client'
import { SignInAgain, usePerson } from '@/features/session'
import { useInbox } from '@/features/inbox'
import { useProposalsWaiting } from '@/features/release'
import { useWorkKnown } from '@/features/work'
import { BalanceBar, plural } from '@/shared'
import { useQueryClient } from '@tanstack/vue-query'
import { defineAsyncComponent, ref, watch } from 'vue'
import { useRouter } from 'vue-router'
import { useKeys } from './keys'
import { useOutage } from './outage'

const GoTo = defineAsyncComponent(() => import('./GoTo.vue'))
const KeyHelp = defineAsyncComponent(() => import('./KeyHelp.vue'))

const router = useRouter()
const { person, error, mayRelease, mayWork } = usePerson()
const goTo = ref(false)
const help = ref(false)
const waiting = useProposalsWaiting(mayRelease)
const { data: inbox } = useInbox(mayWork)
const workKnown = useWorkKnown()
const outage = useOutage(useQueryClient())
const logo = { delivered: 93, added: 0, ready: 60, corrected: 18, quarantined: 9, removed: 6, rejected: 0 }

watch(error, (problem) => {
  if (problem instanceof Problem && problem.status === 401 && !person.value) {
    router.replace({ name: 'sign-in', query: { next: router.currentRoute.value.fullPath } })
  }
})
useKeys(
  {
    '/': () => (goTo.value = true),
    'Ctrl+k': () => (goTo.value = true),
    '?': () => (help.value = true),
  },
  'always',
)

async function signOut(): Promise<void> {
  await unwrap(api.DELETE('/api/session'))
  location.assign('/sign-in')
}
</script>

<template>
  <div class="frame">
    <nav class="rail" aria-label="Places">
      <RouterLink :to="{ name: 'feeds' }" class="name">
        <span>Pravin</span><BalanceBar :balance="logo" :height="6" class="logo" aria-hidden="true" title="" />
      </RouterLink>
      <RouterLink
        :to="{ name: 'feeds' }"
        :class="{ on: /^\/((deliveries|feeds)\/|calendar|suppliers)/.test($route.path) }"
        >Feeds</RouterLink
      >
      <RouterLink :to="{ name: 'inbox' }"
        >Inbox<span
          v-if="inbox?.waits.length"
          class="waiting"
          :title="`${plural(inbox.waits.length, 'thing')} to look at`"
          >{{ inbox.waits.length }}</span
        ></RouterLink
      >
      <RouterLink :to="{ name: 'quarantined' }">Quarantine</RouterLink>
      <RouterLink :to="{ name: 'releases' }" :class="{ on: $route.name === 'readers' }"
        >Releases<span v-if="waiting" class="waiting" :title="`${plural(waiting, 'proposal')} to approve`">{{
          waiting
        }}</span></RouterLink
      >
      <RouterLink :to="{ name: 'library' }">Library</RouterLink>
      <RouterLink :to="{ name: 'activity' }">Activity</RouterLink>
      <RouterLink :to="{ name: 'people' }">People</RouterLink>
      <span class="space"></span>
      <button type="button" @click="goTo = true">Go to<kbd aria-hidden="true">/</kbd></button>
      <button type="button" @click="help = true">Keys<kbd aria-hidden="true">?</kbd></button>
      <template v-if="person">
        <span class="who" :title="person.roles.join(', ')">{{ person.name }}</span>
        <button type="button" class="out" @click="signOut">Sign out</button>
      </template>
    </nav>
    <div class="view">
      <p v-if="outage" class="outage" role="status">{{ outage }}</p>
      <RouterView v-if="person && workKnown" />
    </div>
    <SignInAgain v-if="person && signedOut" :person="person" />
    <GoTo v-if="goTo" @close="goTo = false" />
    <KeyHelp v-if="help" @close="help = false" />
  </div>
</template>

<style scoped>
.frame {
  display: grid;
  grid-template-columns: 118px minmax(0, 1fr);
  height: 100%;
}
.rail {
  display: flex;
  flex-direction: column;
  gap: 2px;
  border-right: 1px solid var(--hair);
  padding: 14px 0 12px 16px;
}
.rail a,
.rail button,
.who {
  display: flex;
  justify-content: space-between;
  border: 0;
  padding: 4px 12px 4px 0;
  background: none;
  color: var(--ink);
  font: inherit;
  text-align: left;
  cursor: pointer;
}
.rail a:hover,
.rail button:hover {
  color: var(--press);
  text-decoration: none;
}
.rail a.router-link-exact-active:not(.name),
.rail a.on {
  box-shadow: inset -3px 0 0 var(--ink);
  font-weight: 650;
}
.rail .name {
  flex-direction: column;
  gap: 5px;
  margin-bottom: 22px;
  padding: 0;
  font-size: 16px;
  font-weight: 650;
}
.logo {
  width: 72px !important;
}
.waiting {
  color: var(--soft);
  font-weight: 400;
}
.space {
  flex: 1;
}
.who {
  cursor: default;
}
.rail .out {
  color: var(--press);
}
.view {
  position: relative;
  min-width: 0;
  min-height: 0;
  overflow: auto;
}
.outage {
  position: absolute;
  z-index: 20;
  inset: 0 0 auto;
  margin: 0;
  padding: 5px 20px;
  background: var(--ink);
  color: var(--paper);
}
</style>
