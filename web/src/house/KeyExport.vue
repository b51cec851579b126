<script setup lang="ts">
import { ref } from 'vue'
import FormOutcome from '../components/FormOutcome.vue'
import SectionTitle from '../components/SectionTitle.vue'
import { api } from '../api/client'
import { useCached } from '../api/queries'
import { download } from '../composables/download'
import { useSend } from '../composables/useSend'

/** The workshop's key, under a passphrase, into a safe. */
const { problem, sending, send } = useSend()
const { refresh } = useCached()
const passphrase = ref('')
const saved = ref('')
async function take() {
  saved.value = ''
  const key = await send(() => api.POST('/api/house/key', { body: { passphrase: passphrase.value }, parseAs: 'blob' }))
  if (!key) return
  download(key, 'workshop-key.age')
  passphrase.value = ''
  saved.value = 'The key is in the file. Keep it in a safe, and the passphrase in another.'
  await refresh('firstSteps')
}
</script>

<template>
  <div>
    <SectionTitle>The workshop’s key</SectionTitle>
    <p class="mt-2 text-ink-2">
      It signs papers and how the record stands. A copy of the record does not hold it: export it once, and keep it
      where no copy is.
    </p>
    <form class="mt-2 flex flex-wrap items-end gap-4" @submit.prevent="take">
      <label class="grow"
        ><span class="label">Passphrase, 12 characters or more: without it the file is of no use</span
        ><input
          v-model="passphrase"
          name="key-passphrase"
          type="password"
          class="field"
          autocomplete="new-password"
          required
      /></label>
      <button class="btn" :disabled="sending">{{ sending ? 'One moment …' : 'Export the key' }}</button>
    </form>
    <FormOutcome class="mt-2" :saved="saved" :problem="problem" />
  </div>
</template>
