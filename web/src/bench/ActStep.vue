<script setup lang="ts">
import ThumbBar from './ThumbBar.vue'
import StepHead from './StepHead.vue'
import SkipStep from './SkipStep.vue'
import { useRunHandle } from './runHandle'
import { useKeys } from '../composables/useKeys'
import type { Run, Step } from '../api/client'

const props = defineProps<{ run: Run; step: Step }>()
const { send, sending } = useRunHandle()
const done = () => !props.step.done && send({ kind: 'do', step: props.step.id })
useKeys({ Enter: done })
</script>

<template>
  <div>
    <StepHead :title="step.title" :do="step.do" :caution="step.caution" :symptom="step.symptom" />
    <p v-if="step.opens" class="mt-3 font-semibold text-brass">
      This opens a loose end: {{ step.opens }}. It stays in sight until it is closed.
    </p>
    <p v-if="step.closes?.length" class="mt-3 text-ink-2">This closes: {{ step.closes.join(', ') }}.</p>
    <p v-if="step.waits && !step.done" class="mt-3 border-l-4 border-brass bg-brass-wash px-3 py-2">{{ step.waits }}</p>
    <p v-if="step.vessels" class="mt-3">
      <a
        class="inline-flex min-h-11 items-center underline"
        :href="`/api/runs/${run.id}/steps/${step.id}/labels.pdf`"
        target="_blank"
        >Print {{ step.vessels }} {{ step.vessels === 1 ? 'label' : 'labels' }} for what is filled</a
      >
    </p>
    <slot />
    <ThumbBar class="mt-5">
      <button class="btn btn-main" :disabled="sending || step.done" @click="done">
        {{ step.done ? 'Done' : 'Done' }} <kbd>Enter</kbd>
      </button>
      <SkipStep v-if="!step.done" :step="step" />
    </ThumbBar>
  </div>
</template>
