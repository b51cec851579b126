<script setup lang="ts">
import { reactive, ref } from 'vue'
import FormOutcome from './FormOutcome.vue'
import { api } from '../api/client'
import { useSend } from '../composables/useSend'

/** One's own password, changed by saying the old one; every other session of one's own ends. */
defineProps<{ first?: boolean }>()
const emit = defineEmits<{ changed: [] }>()
const form = reactive({ old: '', new: '', again: '' })
const saved = ref('')
const { problem, sending, send, refuse } = useSend()
async function change() {
  saved.value = ''
  if (form.new !== form.again) return refuse('The new password was written in two ways. Write it again.')
  const done = await send(async () => {
    const kept = await api.POST('/api/session/password', { body: { old: form.old, new: form.new } })
    return { ...kept, data: kept.response.ok ? true : undefined }
  })
  if (!done) return
  form.old = form.new = form.again = ''
  saved.value = 'It is changed. Wherever else you were signed in, you are signed out.'
  emit('changed')
}
</script>

<template>
  <form class="max-w-sm space-y-3" @submit.prevent="change">
    <FormOutcome :saved="saved" :problem="problem" />
    <label class="block">
      <span class="label">{{ first ? 'The password you were given' : 'Your password now' }}</span>
      <input v-model="form.old" name="old" type="password" class="field" autocomplete="current-password" required />
    </label>
    <label class="block">
      <span class="label">A new one that only you know, 12 characters or more</span>
      <input v-model="form.new" name="new" type="password" class="field" autocomplete="new-password" required />
    </label>
    <label class="block">
      <span class="label">The new one again</span>
      <input v-model="form.again" name="again" type="password" class="field" autocomplete="new-password" required />
    </label>
    <button class="btn btn-main" :disabled="sending">Change the password</button>
  </form>
</template>
