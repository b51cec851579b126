<script setup lang="ts">
import { defineAsyncComponent, shallowRef, watchEffect } from 'vue'
import { useIdle, useIntervalFn } from '@vueuse/core'
import RenewSession from './components/RenewSession.vue'
import NewVersion from './offline/NewVersion.vue'
import type { Person } from './api/client'
import { directoryTold } from './composables/directory'
import { useSession } from './composables/useSession'
import OwnPassword from './views/OwnPassword.vue'
import SignIn from './views/SignIn.vue'

const ToldView = defineAsyncComponent(() => import('./views/ToldView.vue'))
const StartView = defineAsyncComponent(() => import('./views/StartView.vue'))
const HouseShell = defineAsyncComponent(() => import('./HouseShell.vue'))
const { person, query, lock } = useSession()
/** Who worked here last: a session that ends is renewed over what they were doing. */
const last = shallowRef<Person>()
watchEffect(() => (last.value = person.value ?? query.data.value?.locked ?? last.value))
/** This window was opened over the page for the directory, which sent somebody back. */
const back = location.pathname === '/signed-in'
if (back) window.close()
/** Somebody outside opened the link to their page: they need no account. */
const told = location.pathname === '/told'
/** A page that nobody had a hand on for so long is locked; what goes on at the bench goes on. */
const { lastActive } = useIdle()
useIntervalFn(() => {
  const minutes = query.data.value?.idle ?? 0
  if (person.value && minutes && Date.now() - lastActive.value > minutes * 60_000) lock()
}, 5000)
</script>

<template>
  <main v-if="back" class="grid h-full place-items-center p-6">
    <p class="text-xl">{{ directoryTold() || 'You are signed in.' }} Close this window.</p>
  </main>
  <ToldView v-else-if="told" />
  <OwnPassword v-else-if="person && query.data.value?.owes" :person="person" />
  <template v-else-if="last">
    <HouseShell :key="last.id" :person="last" />
    <RenewSession v-if="!person && query.data.value" :person="last" :locked="!!query.data.value.locked" />
  </template>
  <StartView v-else-if="query.data.value?.empty" />
  <template v-else-if="query.data.value"><NewVersion /><SignIn /></template>
  <main v-else-if="query.error.value" class="grid h-full place-items-center">
    <div class="max-w-md border-2 border-ink bg-sheet p-6">
      <h1 class="text-xl">The server does not answer</h1>
      <p class="mt-2">Nothing that was confirmed is lost. Check the network, then try again.</p>
      <button class="btn btn-main mt-4" @click="query.refetch()">Try again</button>
    </div>
  </main>
</template>
