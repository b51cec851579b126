<script setup lang="ts">
import { computed, onBeforeUnmount, ref } from 'vue'
import DialogShell from '../components/DialogShell.vue'
import FormOutcome from '../components/FormOutcome.vue'
import { api } from '../api/client'
import type { RegisterFilter } from '../api/queries'
import type { components } from '../api/schema.gen'
import { useSend } from '../composables/useSend'

/** Sheets of labels for exactly the devices that are shown. */
const props = defineProps<{ filter: RegisterFilter; total: number }>()
const emit = defineEmits<{ close: [] }>()
const perSheet = 24
const first = ref(1)
const job = ref<components['schemas']['JobView']>()
const { problem, sending, send } = useSend()
const sheets = computed(() => Math.ceil((props.total + (first.value || 1) - 1) / perSheet))
const count = (n: number, one: string) => `${n} ${one}${n === 1 ? '' : 's'}`
let timer: ReturnType<typeof setTimeout> | undefined
onBeforeUnmount(() => clearTimeout(timer))
async function write() {
  job.value = await send(() => api.POST('/api/labels', { params: { query: { ...props.filter, first: first.value } } }))
  follow()
}
async function follow() {
  const id = job.value?.id
  if (!id || job.value?.state !== 'running') return
  job.value = (await send(() => api.GET('/api/jobs/{id}', { params: { path: { id } } }))) ?? job.value
  timer = setTimeout(follow, 300)
}
async function stop() {
  const path = { id: job.value!.id }
  await send(() => api.POST('/api/jobs/{id}/stop', { params: { path } }))
}
</script>

<template>
  <DialogShell
    title="Labels"
    :hint="`For the ${count(total, 'device')} shown, in this order: ${count(sheets, 'sheet')} of A4.`"
    @close="emit('close')"
  >
    <form class="mt-4" @submit.prevent="write">
      <label v-if="!job" class="block w-64"
        ><span class="label">First place on the first sheet (1 to 24)</span>
        <input v-model.number="first" type="number" min="1" :max="perSheet" class="field num" name="first" />
      </label>
      <div v-else-if="job.state === 'running'" aria-live="polite">
        <progress class="h-4 w-full accent-ink" :value="job.done" :max="job.all"></progress>
        <p class="num text-sm">{{ Math.floor((100 * job.done) / job.all) }} %</p>
      </div>
      <p v-else-if="job.state === 'done'">
        <a class="btn btn-main inline-flex items-center" :href="`/api/jobs/${job.id}/file`" target="_blank"
          >Open the {{ count(sheets, 'sheet') }} (PDF)</a
        >
      </p>
      <p v-else class="font-semibold text-vermilion">◆ {{ job.why || 'It was stopped.' }}</p>
      <FormOutcome class="mt-3" :problem="problem" />
      <div class="mt-5 flex gap-3">
        <button v-if="!job" class="btn btn-main" :disabled="sending">Write them</button>
        <button v-if="job?.state === 'running'" type="button" class="btn" @click="stop">Stop</button>
        <button type="button" class="btn" @click="emit('close')">Back <kbd>Esc</kbd></button>
      </div>
    </form>
  </DialogShell>
</template>
