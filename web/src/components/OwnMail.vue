<script setup lang="ts">
import { ref, watch } from 'vue'
import FormOutcome from './FormOutcome.vue'
import { api } from '../api/client'
import { useCached } from '../api/queries'
import { useSend } from '../composables/useSend'
import { useSession } from '../composables/useSession'

/** The address that what waits for one's review is sent to. */
const { session } = useSession()
const { refresh } = useCached()
const { problem, sending, send } = useSend()
const mail = ref('')
const saved = ref('')
watch(
  () => session.value?.mail,
  (m) => (mail.value = m ?? ''),
  { immediate: true },
)
async function save() {
  saved.value = ''
  const done = await send(async () => {
    const kept = await api.POST('/api/session/mail', { body: { mail: mail.value.trim() } })
    return { ...kept, data: kept.response.ok ? true : undefined }
  })
  if (!done) return
  await refresh('session')
  saved.value = mail.value ? 'Runs that wait for your review are sent there.' : 'Nothing is sent to you.'
}
</script>

<template>
  <form @submit.prevent="save">
    <FormOutcome :saved="saved" :problem="problem" />
    <label class="block"
      ><span class="label">Address; left out: nothing is sent</span
      ><input v-model="mail" name="mail" type="email" class="field" maxlength="200" autocomplete="email"
    /></label>
    <button class="btn mt-3" :disabled="sending">Keep it</button>
  </form>
</template>
