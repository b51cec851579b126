<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { reactive, ref } from 'vue'
import FormOutcome from './FormOutcome.vue'
import PasswordField from './PasswordField.vue'
import { api } from '../api/client'
import { queries, useCached } from '../api/queries'
import { passkeysWork, usePasskey } from '../composables/usePasskey'
import { useSend } from '../composables/useSend'
import { useSession } from '../composables/useSession'
import { localDay } from '../composables/words'

/** One's own passkeys: the finger, the face or the code of a device stands for the password, at the sign-in and when signing. */
const { session, query } = useSession()
const { keep } = useCached()
const { data: passkeys } = useQuery(queries.passkeys())
const form = reactive({ password: '', name: '' })
const saved = ref('')
const { problem, sending, send } = useSend()
const { register } = usePasskey()
async function add() {
  saved.value = ''
  const all = await send(() => register(form.password, form.name))
  if (!all) return
  keep('passkeys', all)
  form.password = form.name = ''
  saved.value = 'You can sign in and sign with it from now on.'
  await query.refetch()
}
async function end(id: string) {
  saved.value = ''
  const all = await send(() => api.DELETE('/api/session/passkeys/{id}', { params: { path: { id } } }))
  if (all) keep('passkeys', all)
  await query.refetch()
}
</script>

<template>
  <form class="max-w-sm space-y-3" @submit.prevent="add">
    <FormOutcome :saved="saved" :problem="problem" />
    <p class="text-ink-2">
      On a tablet or phone of your own: its finger, face or code in place of the password. Not on one that is shared.
    </p>
    <ul v-if="passkeys?.length" class="rows">
      <li v-for="k in passkeys" :key="k.id" class="flex items-center gap-4 py-2">
        <span class="grow"
          ><b>{{ k.name }}</b> <span class="text-ink-2">since {{ localDay(k.at) }}</span></span
        >
        <button type="button" class="btn" :disabled="sending" @click="end(k.id)">Remove</button>
      </li>
    </ul>
    <template v-if="passkeysWork()">
      <PasswordField v-if="session?.by !== 'directory'" v-model="form.password" name="passkey-password" />
      <label class="block">
        <span class="label">What you call this device</span>
        <input v-model="form.name" name="passkey-name" class="field" autocomplete="off" maxlength="60" required />
      </label>
      <button class="btn btn-main" :disabled="sending">Add a passkey of this device</button>
    </template>
    <p v-else class="text-ink-2">
      This page cannot use them: it was opened without encryption, or by the server's number in place of its name.
    </p>
  </form>
</template>
