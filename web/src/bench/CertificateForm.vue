<script setup lang="ts">
import { reactive, ref } from 'vue'
import FormDialog from '../components/FormDialog.vue'
import SecretField from '../components/SecretField.vue'
import { useRunHandle } from './runHandle'
import type { Run } from '../api/client'

/** Issue a signed run's certificate anew: its words are corrected, its readings never. */
const props = defineProps<{ run: Run }>()
const emit = defineEmits<{ close: [] }>()
const { send, sending, problem } = useRunHandle()
const d = props.run.device
const form = reactive({ serial: d.serial, maker: d.maker, model: d.model, site: d.site, place: d.place })
const more = reactive({ reason: '', remark: '' })
const secret = ref('')
const fields = [
  { key: 'serial', words: 'Serial' },
  { key: 'maker', words: 'Maker' },
  { key: 'model', words: 'Model' },
  { key: 'site', words: 'Site' },
  { key: 'place', words: 'Place' },
] as const
async function save() {
  const words = { reason: more.reason, note: more.remark, corrected: { ...form } }
  if (await send({ kind: 'revise', ...words, secret: secret.value })) emit('close')
  else secret.value = ''
}
</script>

<template>
  <FormDialog
    title="Issue the certificate anew"
    hint="What was measured, and the verdict, stay as signed; a wrong reading is mended by a run that replaces this one. The earlier certificate stays in the record, marked as superseded."
    :action="`Issue revision ${(run.revision ?? 1) + 1}`"
    :problem="problem"
    :busy="sending"
    @save="save"
    @close="emit('close')"
  >
    <div class="grid gap-4 sm:grid-cols-2">
      <label v-for="f in fields" :key="f.key" class="block"
        ><span class="label">{{ f.words }}</span
        ><input v-model="form[f.key]" :name="f.key" class="field" maxlength="80"
      /></label>
      <label class="block sm:col-span-2"
        ><span class="label">A remark to add</span
        ><textarea v-model="more.remark" name="remark" rows="2" class="field" maxlength="1000"></textarea>
      </label>
      <label class="block sm:col-span-2"
        ><span class="label">Why it is issued anew; it stands on the certificate</span
        ><textarea v-model="more.reason" name="reason" rows="2" class="field" maxlength="1000"></textarea>
      </label>
      <SecretField
        v-model="secret"
        class="sm:col-span-2"
        meaning="certificate issued anew"
        :wrong="problem?.field === 'secret'"
      />
    </div>
  </FormDialog>
</template>
