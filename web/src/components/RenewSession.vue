<script setup lang="ts">
import { ref } from 'vue'
import AlertNote from './AlertNote.vue'
import DialogShell from './DialogShell.vue'
import type { Person } from '../api/client'
import { directoryTold, overThePage } from '../composables/directory'
import { passkeysWork } from '../composables/usePasskey'
import { useSession } from '../composables/useSession'

/** The session has ended over a piece of work: it is renewed here, and everything stays as it was. */
defineProps<{ person: Person; locked?: boolean }>()
const { session, query, signIn, signInByPasskey, signOut, trouble, sending } = useSession()
const told = directoryTold()
const password = ref('')
const field = ref<HTMLInputElement | null>(null)
async function leave() {
  await signOut() // the page begins anew
}
</script>

<template>
  <DialogShell
    :title="locked ? `Locked: ${person.name}` : 'Your session has ended'"
    hint="What you were doing is still there, and what you typed is kept."
    wide="narrow"
    :initial-focus="field"
  >
    <form class="mt-4" @submit.prevent="signIn(person.name, password)">
      <label v-if="session?.by !== 'directory'" class="block">
        <span class="label">Password of {{ person.name }}</span>
        <input
          ref="field"
          v-model="password"
          name="password"
          type="password"
          class="field"
          autocomplete="current-password"
        />
      </label>
      <AlertNote class="mt-3" :words="trouble || told" />
      <div class="mt-4 flex flex-wrap gap-3">
        <button v-if="session?.by !== 'directory'" class="btn btn-main" :disabled="sending">
          Go on <kbd>Enter</kbd>
        </button>
        <button v-if="passkeysWork()" type="button" class="btn" :disabled="sending" @click="signInByPasskey()">
          By a passkey
        </button>
        <button v-if="session?.directory" type="button" class="btn" @click="overThePage(() => query.refetch())">
          By {{ session.directory }}
        </button>
        <button type="button" class="btn" @click="leave">Someone else</button>
      </div>
    </form>
  </DialogShell>
</template>
