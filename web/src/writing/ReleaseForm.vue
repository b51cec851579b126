<script setup lang="ts">
import { ref } from 'vue'
import type { components } from '../api/schema.gen'
import { api } from '../api/client'
import DayField from '../components/DayField.vue'
import FormDialog from '../components/FormDialog.vue'
import SecretField from '../components/SecretField.vue'
import { useSend } from '../composables/useSend'
import { isoDay } from '../composables/words'

/** A draft is approved for use, from a day on, by somebody who did not write in it. */
const props = defineProps<{ draft: components['schemas']['DraftView']; revision: number }>()
const emit = defineEmits<{ done: [draft: components['schemas']['DraftView']]; close: [] }>()
const today = isoDay(new Date())
const from = ref(today)
const secret = ref('')
const { problem, sending, send } = useSend()
async function release() {
  const params = { path: { id: props.draft.id } }
  const body = { version: props.draft.version, from: from.value || undefined, secret: secret.value }
  const out = await send(() => api.POST('/api/drafts/{id}/release', { params, body }))
  secret.value = ''
  if (out) emit('done', out)
}
</script>

<template>
  <FormDialog
    :title="`Release revision ${revision}`"
    hint="It is tried once more on simulated devices. Runs that are opened from that day on are made by it; runs under way keep the one they began with."
    action="Approve it for use"
    :problem="problem"
    :busy="sending"
    @save="release"
    @close="emit('close')"
  >
    <div class="grid gap-4">
      <DayField v-model="from" label="In use from" name="from" :min="today" />
      <SecretField v-model="secret" meaning="approved for use" :wrong="problem?.field === 'secret'" />
    </div>
  </FormDialog>
</template>
