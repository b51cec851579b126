<script setup lang="ts">
import { reactive, ref } from 'vue'
import FormOutcome from './FormOutcome.vue'
import PasswordField from './PasswordField.vue'
import { api } from '../api/client'
import { useSend } from '../composables/useSend'
import { useSession } from '../composables/useSession'

/** One's own PIN: quicker to sign runs with than the password, and good for nothing else. */
const { session, query } = useSession()
const form = reactive({ password: '', pin: '' })
const saved = ref('')
const { problem, sending, send } = useSend()
async function set(chosen: string) {
  saved.value = ''
  const done = await send(async () => {
    const kept = await api.POST('/api/session/pin', { body: { password: form.password, pin: chosen } })
    return { ...kept, data: kept.response.ok ? true : undefined }
  })
  if (!done) return
  form.password = form.pin = ''
  saved.value = chosen ? 'You can sign with it from now on.' : 'It is removed: you sign with your password.'
  await query.refetch()
}
</script>

<template>
  <form class="max-w-sm space-y-3" @submit.prevent="set(form.pin)">
    <FormOutcome :saved="saved" :problem="problem" />
    <p class="text-ink-2">
      Six to eleven digits that you sign runs with. After five wrong ones you are signed out, and it rests until you
      sign in again.
    </p>
    <PasswordField v-if="session?.by !== 'directory'" v-model="form.password" name="pin-password" />
    <label class="block">
      <span class="label">{{ session?.pin ? 'A new PIN' : 'The PIN' }}</span>
      <input
        v-model="form.pin"
        name="pin"
        type="password"
        inputmode="numeric"
        class="field"
        autocomplete="off"
        pattern="[0-9]{6,11}"
        title="six to eleven digits"
        required
      />
    </label>
    <div class="flex gap-3">
      <button class="btn btn-main" :disabled="sending">{{ session?.pin ? 'Change the PIN' : 'Set the PIN' }}</button>
      <button
        v-if="session?.pin"
        type="button"
        class="btn"
        :disabled="sending || (session?.by !== 'directory' && !form.password)"
        @click="set('')"
      >
        Remove it
      </button>
    </div>
  </form>
</template>
