<script setup lang="ts">
import { computed } from 'vue'
import LiveTrace from './LiveTrace.vue'
import { useTrace, type WidgetProps } from './widget'

/** A live trace with the band in which the reading is expected. */
const props = defineProps<WidgetProps>()
const trace = useTrace(props)
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
