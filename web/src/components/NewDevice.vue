<script setup lang="ts">
import { reactive, ref } from 'vue'
import { useRouter } from 'vue-router'
import FormDialog from './FormDialog.vue'
import { api } from '../api/client'
import { familyWords } from '../composables/words'
import { useCached } from '../api/queries'
import { useSend } from '../composables/useSend'

/** Enters a device in the register. */
defineProps<{ families: string[] }>()
const emit = defineEmits<{ close: [] }>()
const router = useRouter()
const { refresh } = useCached()
const device = reactive({
  tag: '',
  serial: '',
  maker: '',
  model: '',
  family: 'capnograph',
  site: '',
  place: '',
  owner: '',
  keeper: '',
  in_use: false,
  risk: 3,
  adjustment: '' as '' | 'threshold' | 'nominal' | 'measure-only' | 'calendar',
})
const pounds = ref(false)
const { problem, send } = useSend()
const fields = [
  { key: 'tag', label: 'Tag on its label', required: true },
  { key: 'serial', label: 'Serial', required: false },
  { key: 'maker', label: 'Maker', required: true },
  { key: 'model', label: 'Model', required: true },
  { key: 'site', label: 'Site', required: true },
  { key: 'place', label: 'Place', required: false },
  { key: 'owner', label: 'Belongs to (ward, department)', required: false },
  { key: 'keeper', label: 'Looked after by', required: false },
] as const

async function save() {
  const body = {
    ...device,
    adjustment: device.adjustment || undefined,
    units: device.family === 'patient-scale' && pounds.value ? { mass: '[lb_av]' } : undefined,
  }
  const asset = await send(() => api.POST('/api/assets', { body }))
  if (!asset) return
  refresh('assets')
  router.push({ name: 'device', params: { id: asset.tag } })
}
</script>

<template>
  <FormDialog title="Enter a device" action="Enter it" :problem="problem" @save="save" @close="emit('close')">
    <div class="grid sm:grid-cols-2 gap-4">
      <label v-for="f in fields" :key="f.key">
        <span class="label">{{ f.label }}</span>
        <input v-model="device[f.key]" class="field" :required="f.required" :name="f.key" />
      </label>
      <label>
        <span class="label">Family</span>
        <select v-model="device.family" name="family" class="field">
          <option v-for="f in families" :key="f" :value="f">{{ familyWords(f) }}</option>
        </select>
      </label>
      <label>
        <span class="label">Adjusted</span>
        <select v-model="device.adjustment" class="field" name="adjustment">
          <option value="">as the procedure or the lab says</option>
          <option value="threshold">when an error is worth it</option>
          <option value="nominal">to nominal every time</option>
          <option value="calendar">by the calendar, whatever the check says</option>
          <option value="measure-only">never: measure only</option>
        </select>
      </label>
      <label v-if="device.family === 'patient-scale'" class="sm:col-span-2 flex min-h-11 items-center gap-3">
        <input v-model="pounds" type="checkbox" name="pounds" class="size-5 accent-ink" />
        It shows pounds. A scale that gives a dose is locked to kg: mixed units kill.
      </label>
      <label>
        <span class="label">Risk, 1 (low) to 5</span>
        <input v-model.number="device.risk" type="number" name="risk" min="1" max="5" class="field num" />
      </label>
      <label class="sm:col-span-2 flex min-h-11 items-start gap-3">
        <input v-model="device.in_use" type="checkbox" name="in_use" class="mt-1 size-5 shrink-0 accent-ink" />
        <span
          >It is in use already, and was accepted before.
          <span class="block text-sm text-ink-2"
            >Else it is new: marked STOP until what it is accepted by is signed.</span
          ></span
        >
      </label>
    </div>
  </FormDialog>
</template>
