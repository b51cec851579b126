<script setup lang="ts">
import PasswordForm from '../components/PasswordForm.vue'
import type { Person } from '../api/client'
import { useSession } from '../composables/useSession'

/** The password was given by somebody else: nothing else is open before it is one's own. */
defineProps<{ person: Person }>()
const { query, signOut } = useSession()
</script>

<template>
  <main class="grid min-h-full place-items-center p-6">
    <div class="border-2 border-ink bg-sheet p-6">
      <h1 class="text-xl">{{ person.name }}: a password of your own</h1>
      <p class="mt-2 mb-4 max-w-sm">
        Somebody else gave you the one you came in with. Your signature says that it was you: take one that only you
        know.
      </p>
      <PasswordForm first @changed="query.refetch()" />
      <button class="mt-4 min-h-10 underline" @click="signOut()">Sign out</button>
    </div>
  </main>
</template>
