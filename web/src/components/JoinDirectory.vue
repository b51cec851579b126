<script setup lang="ts">
import { ref } from 'vue'
import AlertNote from './AlertNote.vue'
import PasswordField from './PasswordField.vue'
import { api } from '../api/client'
import { useSend } from '../composables/useSend'
import { useSession } from '../composables/useSession'

/** One's own account is joined to the directory: one shows there who one is, and signs in by it from then on. */
const { session } = useSession()
const password = ref('')
const { trouble, sending, send } = useSend()
async function join() {
  const there = await send(() => api.POST('/api/session/directory', { body: { password: password.value } }))
  if (there) location.assign(there.address)
}
</script>

<template>
  <form class="max-w-sm space-y-3" @submit.prevent="join">
    <p class="text-ink-2">
      Or sign in by {{ session?.directory }} from now on: you show there who you are, and this password counts no more.
    </p>
    <PasswordField v-model="password" name="join-password" />
    <AlertNote :words="trouble" />
    <button class="btn" :disabled="sending">Join this account to {{ session?.directory }}</button>
  </form>
</template>
