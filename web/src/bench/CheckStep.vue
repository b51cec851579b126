<script setup lang="ts">
import { computed, ref } from 'vue'
import AskDialog from '../components/AskDialog.vue'
import ThumbBar from './ThumbBar.vue'
import StepHead from './StepHead.vue'
import SkipStep from './SkipStep.vue'
import { useRunHandle } from './runHandle'
import { useKeys } from '../composables/useKeys'
import type { Run, Step } from '../api/client'

const props = defineProps<{ run: Run; step: Step }>()
const { send, sending } = useRunHandle()
const asking = ref<'not fine' | 'does not apply'>()
const words = computed<Record<string, string>>(() =>
  props.step.tests
    ? { fine: 'Passed', 'not fine': 'Failed', 'does not apply': 'Not fitted', skip: 'Not done …' }
    : { fine: 'Fine', 'not fine': 'Not fine', 'does not apply': 'Does not apply', skip: 'Leave it out …' },
)
const fine = () => send({ kind: 'answer', step: props.step.id, answer: 'fine' })
function noted(note: string) {
  const answer = asking.value
  asking.value = undefined
  if (answer) send({ kind: 'answer', step: props.step.id, answer, note })
}
useKeys({
  Enter: () => props.step.known?.good !== false && !(props.step.done && props.step.answer === 'fine') && fine(),
})
</script>

<template>
  <div>
    <StepHead :title="step.title" :do="step.do" :caution="step.caution" :symptom="step.symptom" />
    <p v-if="step.opens" class="mt-3 font-semibold text-brass">This opens a loose end: {{ step.opens }}.</p>
    <p v-if="step.closes?.length" class="mt-3 text-ink-2">This closes: {{ step.closes.join(', ') }}.</p>
    <p
      v-if="step.known"
      class="mt-3 border-l-4 px-3 py-2"
      :class="step.known.good ? 'border-petrol bg-sheet' : 'border-vermilion bg-vermilion-wash'"
    >
      <b>The record says:</b> {{ step.known.words }}
    </p>
    <p v-else-if="step.read" class="mt-3 text-ink-2">By the record: {{ step.read }}</p>
    <p v-if="step.done" class="mt-4 text-lg">
      Answered:
      <b :class="step.answer === 'not fine' ? 'text-vermilion' : ''">{{
        step.skipped ? 'left out' : step.answer ? words[step.answer]!.toLowerCase() : ''
      }}</b>
      <template v-if="step.note"> · {{ step.note }}</template>
    </p>
    <slot />
    <ThumbBar class="mt-5">
      <button class="btn btn-main" :disabled="sending || step.known?.good === false" @click="fine">
        {{ words.fine }} <kbd>Enter</kbd>
      </button>
      <button class="btn" :disabled="sending" @click="asking = 'not fine'">{{ words['not fine'] }} …</button>
      <button class="btn" :disabled="sending" @click="asking = 'does not apply'">
        {{ words['does not apply'] }} …
      </button>
      <SkipStep :step="step" :words="words.skip" />
    </ThumbBar>
    <AskDialog
      v-if="asking"
      :title="`${words[asking]}: ${step.title}`"
      :hint="
        asking === 'not fine'
          ? 'Mend it and answer again, or it stands: a device that fails a check does not conform.'
          : 'It stands on the certificate with its reason, and leaves the run complete. What was only not done is left out instead.'
      "
      :label="asking === 'does not apply' ? 'Why not' : step.tests ? 'What failed' : 'What is not fine'"
      action="Record it"
      @done="noted"
      @close="asking = undefined"
    />
  </div>
</template>
