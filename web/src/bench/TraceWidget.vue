<script setup lang="ts">
import { computed } from 'vue'
import LiveTrace from './LiveTrace.vue'
import type { LiveFrame, Measure, Point } from '../api/client'
import type { Traces } from '../composables/useLivePoint'

/** A live trace with the band in which the reading is expected. */
const props = defineProps<{
  traces: Traces
  frame?: LiveFrame
  measure: Measure
  point: Point
  label: string
}>()
const trace = computed(() => props.traces[props.measure.capture?.channel ?? ''] ?? { t: [], v: [] })
const expected = computed(() => (props.measure.capture?.kind === 'rate' ? undefined : props.point.expected))
</script>

<template>
  <div class="h-40">
    <LiveTrace
      :trace="trace"
      :low="expected?.low"
      :high="expected?.high"
      :reference="expected?.reference"
      :label="label"
    />
  </div>
</template>
