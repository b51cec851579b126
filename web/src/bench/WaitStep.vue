<script setup lang="ts">
import { computed } from 'vue'
import ThumbBar from './ThumbBar.vue'
import StepHead from './StepHead.vue'
import SkipStep from './SkipStep.vue'
import TimerRing from '../components/TimerRing.vue'
import { canBeDoneAhead } from './reading'
import { useRunHandle } from './runHandle'
import { useClock } from '../composables/useClock'
import { useKeys } from '../composables/useKeys'
import { countdown, localTime } from '../composables/words'
import type { Run, Step } from '../api/client'

/** A timer; meanwhile other steps, or other runs, can go on. */
const props = defineProps<{ run: Run; step: Step }>()
const emit = defineEmits<{ look: [id: string]; cut: [] }>()
const { send, sending } = useRunHandle()
const now = useClock()
const left = computed(() => (props.step.timer ? new Date(props.step.timer.until).getTime() - now.value : 0))
const meanwhile = computed(() => {
  const gate = props.run.steps.findIndex((s) => !s.done && (s.kind === 'act' || s.kind === 'measure'))
  return props.run.steps.filter((s, i) => !s.done && canBeDoneAhead(s.kind) && i < gate)
})
function start() {
  if (!props.step.timer) send({ kind: 'start-wait', step: props.step.id })
  else if (meanwhile.value[0]) emit('look', meanwhile.value[0].id)
}
useKeys({ Enter: start })
</script>

<template>
  <div>
    <StepHead :title="step.title" :do="step.do" :caution="step.caution" />
    <p class="mt-2 text-ink-2">{{ step.minutes }} min, because {{ step.why }}.</p>
    <div v-if="step.timer" class="mt-5 flex items-center gap-6" role="timer">
      <TimerRing :started="step.timer.started" :until="step.timer.until" :now="now" :size="120" />
      <div>
        <p class="num text-6xl">{{ step.timer.cut ? 'cut short' : left > 0 ? countdown(left) : 'over' }}</p>
        <p class="text-ink-2">
          {{ step.timer.cut || `started ${localTime(step.timer.started)}, over at ${localTime(step.timer.until)}` }}
        </p>
      </div>
    </div>
    <div v-if="step.timer && left > 0 && !step.timer.cut && meanwhile.length" class="mt-6">
      <h3 class="border-b border-line pb-1 text-lg">Meanwhile</h3>
      <ul class="rows">
        <li v-for="(s, i) in meanwhile" :key="s.id">
          <button class="min-h-11 w-full text-left hover:bg-brass-wash" @click="$emit('look', s.id)">
            {{ s.title }} <kbd v-if="i === 0">Enter</kbd>
          </button>
        </li>
      </ul>
    </div>
    <p v-else-if="step.timer && left > 0 && !step.timer.cut" class="mt-6 text-ink-2">
      Everything that can be done before it ends is done. Another run can go on meanwhile: see the dock.
    </p>
    <slot />
    <ThumbBar class="mt-5">
      <button v-if="!step.timer" class="btn btn-main" :disabled="sending" @click="start">
        Start the timer <kbd>Enter</kbd>
      </button>
      <button v-else-if="left > 0 && !step.timer.cut" class="btn" @click="$emit('cut')">
        Cut it short … <kbd>T</kbd>
      </button>
      <SkipStep v-if="!step.timer" :step="step" />
    </ThumbBar>
  </div>
</template>
