<script setup lang="ts">
import { computed, ref } from 'vue'
import DialogShell from '../components/DialogShell.vue'
import JobOutcome from '../components/JobOutcome.vue'
import FormOutcome from '../components/FormOutcome.vue'
import { api } from '../api/client'
import type { RegisterFilter } from '../api/queries'
import { useJob } from '../composables/useJob'

/** Sheets of labels for exactly the devices that are shown. */
const props = defineProps<{ filter: RegisterFilter; total: number }>()
const emit = defineEmits<{ close: [] }>()
const perSheet = 24
const first = ref(1)
const { job, problem, sending, begin, stop } = useJob()
const sheets = computed(() => Math.ceil((props.total + (first.value || 1) - 1) / perSheet))
const count = (n: number, one: string) => `${n} ${one}${n === 1 ? '' : 's'}`
const write = () => begin(() => api.POST('/api/labels', { params: { query: { ...props.filter, first: first.value } } }))
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
      <JobOutcome v-else :job="job" :file="`Open the ${count(sheets, 'sheet')} (PDF)`" />
      <FormOutcome class="mt-3" :problem="problem" />
      <div class="mt-5 flex gap-3">
        <button v-if="!job" class="btn btn-main" :disabled="sending">Write them</button>
        <button v-if="job?.state === 'running'" type="button" class="btn" @click="stop">Stop</button>
        <button type="button" class="btn" @click="emit('close')">Back <kbd>Esc</kbd></button>
      </div>
    </form>
  </DialogShell>
</template>
