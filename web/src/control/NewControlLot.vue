<script setup lang="ts">
import { reactive } from 'vue'
import DayField from '../components/DayField.vue'
import FormDialog from '../components/FormDialog.vue'
import NumberField from '../components/NumberField.vue'
import { api } from '../api/client'
import type { components } from '../api/schema.gen'
import { useLabel } from '../composables/useLabel'
import { newId } from '../composables/useRun'
import { useCached } from '../api/queries'
import { useSend } from '../composables/useSend'

/** Opens a new lot of controls: its mean and SD, as its leaflet or the lab's own runs give them. */
const props = defineProps<{ chart: components['schemas']['ControlChart'] }>()
const emit = defineEmits<{ close: [] }>()
const { refresh } = useCached()
const first = props.chart.levels[0]
const form = reactive({
  id: newId(),
  level: first?.level ?? 1,
  lot: '',
  mean: '',
  sd: '',
  allowed: first ? String(first.allowed) : '',
  expires: '',
})
const { problem, send } = useSend()
const readLabel = useLabel(send)
async function read() {
  // A scanner types the whole label into the field of the lot.
  if (/^\(|^\]|^01\d{14}/.test(form.lot.trim())) Object.assign(form, await readLabel(form.lot))
}
async function save() {
  const level = props.chart.levels.find((l) => l.level === form.level) ?? first
  const body = {
    ...form,
    analyte: props.chart.analyte,
    unit: level?.code ?? '1',
    expires: form.expires || undefined,
  }
  const params = { path: { asset: props.chart.asset } }
  if (!(await send(() => api.POST('/api/controls/{asset}/lots', { params, body })))) return
  await refresh('controlChart')
  emit('close')
}
</script>

<template>
  <FormDialog
    :title="`New lot of ${chart.analyte} control`"
    hint="Scan its label into the field of the lot, or type it. Earlier lots keep their own mean and SD."
    action="Open the lot"
    :problem="problem"
    @save="save"
    @close="emit('close')"
  >
    <div class="grid sm:grid-cols-2 gap-4">
      <label class="block"
        ><span class="label">Level</span>
        <select v-model.number="form.level" name="level" class="field">
          <option v-for="l in chart.levels" :key="l.level" :value="l.level">level {{ l.level }}</option>
        </select></label
      >
      <label class="block"
        ><span class="label">Lot</span
        ><input v-model="form.lot" data-scan name="lot" class="field num" maxlength="200" @change="read"
      /></label>
      <NumberField v-model="form.mean" label="Mean" :unit="first?.unit" name="mean" />
      <NumberField v-model="form.sd" label="SD" :unit="first?.unit" name="sd" />
      <NumberField v-model="form.allowed" label="Total error allowed" unit="%" name="allowed" />
      <DayField v-model="form.expires" label="Last day" name="expires" />
    </div>
  </FormDialog>
</template>
