<script setup lang="ts">
import { reactive } from 'vue'
import DayField from '../components/DayField.vue'
import FormDialog from '../components/FormDialog.vue'
import { api } from '../api/client'
import { useLabel } from '../composables/useLabel'
import { newId } from '../composables/useRun'
import { useCached } from '../api/queries'
import { useSend } from '../composables/useSend'

/** A lot of a consumable that comes in: its label is scanned, or typed. */
const emit = defineEmits<{ close: [] }>()
const { refresh } = useCached()
const kinds = [
  { id: 'cartridge', words: 'Cartridges' },
  { id: 'gas-bottle', words: 'Gas bottle of an analyser' },
  { id: 'reagent', words: 'Reagent' },
  { id: 'filter', words: 'Filters' },
  { id: 'tubing', words: 'Tubing or sets' },
]
const form = reactive({ id: newId(), label: '', lot: '', expires: '', tag: '', name: '', kind: 'cartridge', maker: '' })
const { problem, send } = useSend()
const readLabel = useLabel(send)
async function read() {
  if (form.label.trim()) Object.assign(form, await readLabel(form.label))
}
async function save() {
  const body = { ...form, label: '', expires: form.expires || undefined }
  if (!(await send(() => api.POST('/api/lots', { body })))) return
  await refresh('standards')
  emit('close')
}
</script>

<template>
  <FormDialog
    title="A lot that came in"
    hint="Scan its label; the lot and its last day are read from it. What expires first is offered first."
    action="Enter the lot"
    :problem="problem"
    @save="save"
    @close="emit('close')"
  >
    <div class="grid sm:grid-cols-2 gap-4">
      <label class="sm:col-span-2 block"
        ><span class="label">Label, as the scanner types it</span>
        <input
          v-model="form.label"
          name="label"
          data-scan
          class="field num"
          maxlength="200"
          autocomplete="off"
          @change="read"
          @keydown.enter.prevent="read"
      /></label>
      <label class="block"
        ><span class="label">Lot</span><input v-model="form.lot" name="lot" class="field num"
      /></label>
      <DayField v-model="form.expires" label="Last day" name="expires" />
      <label class="block"
        ><span class="label">Kind</span>
        <select v-model="form.kind" name="kind" class="field">
          <option v-for="k in kinds" :key="k.id" :value="k.id">{{ k.words }}</option>
        </select></label
      >
      <label class="block"
        ><span class="label">Tag</span><input v-model="form.tag" name="tag" class="field num"
      /></label>
      <label class="block"
        ><span class="label">Name</span><input v-model="form.name" name="name" class="field"
      /></label>
      <label class="block"
        ><span class="label">Maker</span><input v-model="form.maker" name="maker" class="field"
      /></label>
    </div>
  </FormDialog>
</template>
