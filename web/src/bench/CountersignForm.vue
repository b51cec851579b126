<script setup lang="ts">
import { ref } from 'vue'
import FormDialog from '../components/FormDialog.vue'
import SecretField from '../components/SecretField.vue'
import { useRunHandle } from './runHandle'

/** The second signature: what was checked, and who it is. */
const emit = defineEmits<{ close: [] }>()
const { send, sending, problem } = useRunHandle()
const note = ref('Record complete, findings plausible.')
const secret = ref('')
async function sign() {
  if (await send({ kind: 'review', note: note.value, secret: secret.value })) emit('close')
  else secret.value = ''
}
</script>

<template>
  <FormDialog
    title="Countersign"
    hint="Look at what stands first below, and at the points, before you do."
    action="Countersign"
    :problem="problem"
    :busy="sending"
    @save="sign"
    @close="emit('close')"
  >
    <div class="space-y-4">
      <label class="block">
        <span class="label">What you checked</span>
        <textarea v-model="note" name="note" rows="3" class="field" maxlength="1000"></textarea>
      </label>
      <SecretField v-model="secret" meaning="reviewed and agreed" :wrong="problem?.field === 'secret'" />
    </div>
  </FormDialog>
</template>
