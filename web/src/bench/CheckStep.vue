<script setup lang="ts">
import { ref } from 'vue'
import AskDialog from '../components/AskDialog.vue'
import StepHead from './StepHead.vue'
import SkipStep from './SkipStep.vue'
import { useRunHandle } from './runHandle'
import { useKeys } from '../composables/useKeys'
import type { Run, Step } from '../api/client'

const props = defineProps<{ run: Run; step: Step }>()
const { send, sending } = useRunHandle()
const asking = ref(false)
const fine = () => send({ kind: 'answer', step: props.step.id, answer: 'fine' })
function notFine(note: string) {
  asking.value = false
  send({ kind: 'answer', step: props.step.id, answer: 'not fine', note })
}
useKeys({ Enter: () => !(props.step.done && props.step.answer === 'fine') && fine() })
</script>

<template>
  <div>
    <StepHead :title="step.title" :do="step.do" :caution="step.caution" :symptom="step.symptom" />
    <p v-if="step.opens" class="mt-3 font-semibold text-brass">This opens a loose end: {{ step.opens }}.</p>
    <p v-if="step.closes?.length" class="mt-3 text-ink-2">This closes: {{ step.closes.join(', ') }}.</p>
    <p v-if="step.done" class="mt-4 text-lg">
      Answered:
      <b :class="step.answer === 'not fine' ? 'text-vermilion' : ''">{{ step.skipped ? 'left out' : step.answer }}</b>
      <template v-if="step.note"> · {{ step.note }}</template>
    </p>
    <slot />
    <div class="mt-5 flex flex-wrap gap-3">
      <button class="btn btn-main" :disabled="sending" @click="fine">Fine <kbd>Enter</kbd></button>
      <button class="btn" :disabled="sending" @click="asking = true">Not fine …</button>
      <button
        class="btn"
        :disabled="sending"
        @click="send({ kind: 'answer', step: step.id, answer: 'does not apply' })"
      >
        Does not apply
      </button>
      <SkipStep :step="step" />
    </div>
    <AskDialog
      v-if="asking"
      :title="`Not fine: ${step.title}`"
      hint="Mend it and answer again, or it stands: a device that fails a check does not conform."
      label="What is not fine"
      action="Record it"
      @done="notFine"
      @close="asking = false"
    />
  </div>
</template>
