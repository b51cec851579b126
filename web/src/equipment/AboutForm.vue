<script setup lang="ts">
import { computed, reactive } from 'vue'
import FormDialog from '../components/FormDialog.vue'
import { usePrices } from '../composables/usePrices'
import { api } from '../api/client'
import type { components } from '../api/schema.gen'
import { newId } from '../composables/useRun'
import { useCached } from '../api/queries'
import { useSend } from '../composables/useSend'

/** What a device is made of, and how it was bought. */
const props = defineProps<{ device: components['schemas']['AssetView'] }>()
const emit = defineEmits<{ close: [] }>()
const { refresh } = useCached()
const was = props.device.about
const { currency } = usePrices()
const form = reactive({
  software: was.software ?? '',
  set_up: was.set_up ?? '',
  supplier: was.supplier ?? '',
  bought: was.bought ?? '',
  price: was.price || ('' as number | ''),
  warranty: was.warranty ?? '',
})
const changed = computed(() => !!was.software && form.software.trim() !== was.software)
const id = newId()
const { problem, sending, send } = useSend()
async function save() {
  const { price, bought, warranty, ...words } = form
  const body = { id, ...words, price: price || 0, bought: bought || undefined, warranty: warranty || undefined }
  const params = { path: { id: props.device.id } }
  if (!(await send(() => api.POST('/api/assets/{id}/about', { params, body })))) return
  await refresh('asset', 'assets', 'history')
  emit('close')
}
</script>

<template>
  <FormDialog
    :title="`About ${device.tag}`"
    action="Keep it"
    :problem="problem"
    :busy="sending"
    @save="save"
    @close="emit('close')"
  >
    <div class="grid sm:grid-cols-2 gap-4">
      <label
        ><span class="label">Version of its software</span><input v-model="form.software" class="field" name="software"
      /></label>
      <label
        ><span class="label">Bought from</span><input v-model="form.supplier" class="field" name="supplier"
      /></label>
      <p v-if="changed" class="sm:col-span-2 border-l-4 border-brass bg-brass-wash px-3 py-2">
        ◐ Another version of its software is an event: what depends on it becomes due.
      </p>
      <label class="sm:col-span-2"
        ><span class="label">Set up with, a part a line: sensor, circuit, transducer, sets, dead space</span>
        <textarea v-model="form.set_up" name="set_up" rows="3" class="field" maxlength="2000"></textarea>
      </label>
      <label
        ><span class="label">Bought on</span><input v-model="form.bought" type="date" name="bought" class="field num"
      /></label>
      <label
        ><span class="label">Warranty until</span
        ><input v-model="form.warranty" type="date" name="warranty" class="field num"
      /></label>
      <label
        ><span class="label">{{ currency ? `Price, ${currency}` : 'Price' }}</span
        ><input v-model.number="form.price" type="number" min="0" step="any" name="price" class="field num"
      /></label>
    </div>
  </FormDialog>
</template>
