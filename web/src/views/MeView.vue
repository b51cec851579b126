<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import AlertNote from '../components/AlertNote.vue'
import PasswordForm from '../components/PasswordForm.vue'
import OwnMail from '../components/OwnMail.vue'
import OwnTokens from '../components/OwnTokens.vue'
import JoinDirectory from '../components/JoinDirectory.vue'
import PasskeyForm from '../components/PasskeyForm.vue'
import PinForm from '../components/PinForm.vue'
import SectionTitle from '../components/SectionTitle.vue'
import { api } from '../api/client'
import { queries, useCached } from '../api/queries'
import { useSend } from '../composables/useSend'
import { directoryTold } from '../composables/directory'
import { useSession } from '../composables/useSession'
import { localDay, localTime } from '../composables/words'

/** What is one's own: the password, the PIN to sign with, the calendar's link, and where one is signed in. */
const { session, person } = useSession()
const { refresh } = useCached()
const { data: sessions } = useQuery(queries.sessions())
const { trouble, sending, send } = useSend()
async function end(session: string) {
  await send(async () => {
    const ended = await api.DELETE('/api/session/mine/{session}', { params: { path: { session } } })
    return { ...ended, data: ended.response.ok ? true : undefined }
  })
  await refresh('sessions')
}
</script>

<template>
  <main v-if="person" class="p-6">
    <h1 class="text-2xl">{{ person.name }}</h1>
    <p class="text-ink-2">{{ person.role }}</p>
    <div class="mt-6 grid gap-10 md:grid-cols-[24rem_1fr]">
      <section class="min-w-0">
        <SectionTitle class="mb-3">Sign-in</SectionTitle>
        <AlertNote class="mb-3" :words="directoryTold()" />
        <p v-if="session?.by === 'directory'" class="max-w-sm text-ink-2">
          You sign in by {{ session.directory || 'the directory' }}. To change what you sign with,
          <a class="underline" href="/sign-in/directory?me">show there once more who you are</a>; then you have ten
          minutes.
        </p>
        <template v-else>
          <PasswordForm @changed="refresh('sessions')" />
          <JoinDirectory v-if="session?.directory" class="mt-6" />
        </template>
        <SectionTitle class="mt-8 mb-3">PIN to sign with</SectionTitle>
        <PinForm />
        <SectionTitle class="mt-8 mb-3">Passkeys</SectionTitle>
        <PasskeyForm />
        <SectionTitle class="mt-8 mb-3">Mail</SectionTitle>
        <OwnMail />
      </section>
      <section class="min-w-0">
        <SectionTitle class="mb-1">Where you are signed in</SectionTitle>
        <AlertNote :words="trouble" />
        <ul class="rows">
          <li v-for="s in sessions" :key="s.id" class="flex items-center gap-4 py-2">
            <div class="min-w-0 grow">
              <p>
                <b v-if="s.here">● Here, </b
                ><template v-if="s.begun">since {{ localDay(s.begun) }}, {{ localTime(s.begun) }}</template>
                <span class="text-ink-2"
                  >, from <span class="num">{{ s.address }}</span></span
                >
              </p>
              <p class="truncate text-sm text-ink-2" :title="s.browser">{{ s.browser }}</p>
            </div>
            <button v-if="!s.here" class="btn" :disabled="sending" @click="end(s.id)">End it</button>
          </li>
        </ul>
        <p class="mt-2 text-sm text-ink-2">
          One that you do not know? End it, and
          {{ session?.by === 'directory' ? 'tell an administrator' : 'change your password' }}.
        </p>
        <OwnTokens class="mt-8" />
      </section>
    </div>
  </main>
</template>
