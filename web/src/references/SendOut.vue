<script setup lang="ts">
import { reactive } from 'vue'
import DayField from '../components/DayField.vue'
import FormDialog from '../components/FormDialog.vue'
import NumberField from '../components/NumberField.vue'
import { usePrices } from '../composables/usePrices'
import { api, type Reference } from '../api/client'
import { newId } from '../composables/useRun'
import { isoDay, numberIn } from '../composables/words'
import { useCached } from '../api/queries'
import { useSend } from '../composables/useSend'

/** A reference goes out to a laboratory, or comes back. */
const props = defineProps<{ reference: Reference; back: boolean }>()
const emit = defineEmits<{ close: [] }>()
const { keep, refresh } = useCached()
const { problem, sending, send } = useSend()
const { currency } = usePrices()
const form = reactive({ id: newId(), to: '', until: '', price: '', why: '' })
async function save() {
  const body = {
    id: form.id,
    to: props.back ? undefined : form.to,
    until: form.until || undefined,
    price: form.price ? numberIn(form.price) || 0 : undefined,
    why: form.why,
  }
  const params = { path: { id: props.reference.id } }
  const saved = await send(() => api.POST('/api/standards/{id}/away', { params, body }))
  if (!saved) return
  keep('reference', saved, saved.tag)
  refresh('standards')
  emit('close')
}
</script>

<template>
  <FormDialog
    :title="back ? `${reference.tag} is back` : `Send ${reference.tag} out`"
    :hint="
      back
        ? 'Enter its new certificate next, with what the laboratory found before it changed anything.'
        : 'No run can use it until it is back.'
    "
    :action="back ? 'It is back' : 'Send it out'"
    :problem="problem"
    :busy="sending"
    @save="save"
    @close="emit('close')"
  >
    <div class="grid gap-4">
      <template v-if="!back">
        <label class="block">
          <span class="label">To whom</span>
          <input v-model="form.to" name="to" class="field" maxlength="120" required />
        </label>
        <div class="grid sm:grid-cols-2 gap-4">
          <DayField v-model="form.until" label="Due back" name="until" :min="isoDay(new Date())" />
          <NumberField v-model="form.price" label="Price agreed" :unit="currency" name="price" />
        </div>
      </template>
      <label class="block">
        <span class="label">{{ back ? 'In which state it came back' : 'What for' }}</span>
        <textarea v-model="form.why" name="why" rows="2" class="field" maxlength="400" required></textarea>
      </label>
    </div>
  </FormDialog>
</template>
