<script setup lang="ts">
import { computed } from 'vue'
import StepHead from './StepHead.vue'
import SkipStep from './SkipStep.vue'
import ReadingWork from './ReadingWork.vue'
import OwnPoint from './OwnPoint.vue'
import VoidedNote from './VoidedNote.vue'
import { openPoint, setTogether } from './reading'
import type { Run, Step } from '../api/client'

/** The points of a measure, as found, one after another. */
const props = defineProps<{ run: Run; step: Step }>()
const emit = defineEmits<{ withdraw: []; look: [id: string] }>()
const measure = computed(() => props.run.measures.find((m) => m.id === props.step.id)!)
/** The point in hand: the one that is set together with the last, else the first that is open. */
const spot = computed(() => {
  const together = setTogether(props.run, measure.value)
  const point = openPoint(measure.value)
  return together ?? (point && { measure: measure.value, point })
})
const finding = computed(() => props.run.findings.find((f) => f.id === measure.value.finding))
</script>

<template>
  <div class="flex grow flex-col">
    <p v-if="step.waits && !step.done" class="mb-3 border-l-4 border-brass bg-brass-wash px-3 py-2">{{ step.waits }}</p>
    <VoidedNote v-if="finding && !step.done" :finding="finding" class="mb-3" />
    <ReadingWork
      v-if="spot && spot.measure.reading && !step.done"
      :key="spot.measure.id + spot.point.id"
      :run="run"
      :measure="spot.measure"
      :point="spot.point"
      phase="as found"
    >
      <slot />
    </ReadingWork>
    <template v-else>
      <StepHead :title="`${measure.title} as found`" do="Every point is read." />
      <p v-if="finding?.closed" class="mt-2 text-ink-2">As found is closed and does not change any more.</p>
      <slot />
      <button class="btn mt-4 self-start" @click="emit('look', measure.finding)">Go to {{ finding?.title }}</button>
    </template>
    <div class="mt-2 flex flex-wrap gap-3">
      <SkipStep v-if="spot && measure.reading && !step.done" :step="step" words="Leave the whole step out …" />
      <OwnPoint :measure="measure" />
    </div>
  </div>
</template>
