<script setup lang="ts">
import { computed } from 'vue'
import PasskeyForm from '../components/PasskeyForm.vue'
import PasswordForm from '../components/PasswordForm.vue'
import PinForm from '../components/PinForm.vue'
import SectionTitle from '../components/SectionTitle.vue'
import type { Person } from '../api/client'
import { passkeysWork } from '../composables/usePasskey'
import { useSession } from '../composables/useSession'
import { localDay, localTime } from '../composables/words'

/** What is set before anything else is open: a password of one's own, or what somebody of the directory signs with. */
defineProps<{ person: Person }>()
const { session, query, signOut } = useSession()
const given = computed(() => {
  const { given_by: by, given_at: at } = session.value ?? {}
  return at ? `${by} gave you the one you came in with, on ${localDay(at)} at ${localTime(at)}.` : ''
})
</script>

<template>
  <main class="grid min-h-full place-items-center p-6">
    <div v-if="session?.owes === 'secret'" class="border-2 border-ink bg-sheet p-6">
      <h1 class="text-xl">{{ person.name }}: what you sign with</h1>
      <p class="mt-2 max-w-[60ch]">
        {{ session.directory }} says who you are. Your signature asks for something more that only you have: a PIN, or a
        passkey of a device of your own. One is enough.
      </p>
      <div class="mt-6 grid gap-10 md:grid-cols-2">
        <section>
          <SectionTitle class="mb-3">A PIN</SectionTitle>
          <PinForm />
        </section>
        <section v-if="passkeysWork()">
          <SectionTitle class="mb-3">A passkey</SectionTitle>
          <PasskeyForm />
        </section>
      </div>
      <button class="mt-6 min-h-11 underline" @click="signOut()">Sign out</button>
    </div>
    <div v-else class="border-2 border-ink bg-sheet p-6">
      <h1 class="text-xl">{{ person.name }}: a password of your own</h1>
      <p class="mt-2 mb-4 max-w-sm">
        {{ given || 'Somebody else gave you the one you came in with.' }} If you did not ask for it, tell your lead.
        Your signature says that it was you: take one that only you know.
      </p>
      <PasswordForm first @changed="query.refetch()" />
      <button class="mt-4 min-h-11 underline" @click="signOut()">Sign out</button>
    </div>
  </main>
</template>
