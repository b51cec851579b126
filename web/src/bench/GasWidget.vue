<script setup lang="ts">
import { computed } from 'vue'
import LiveTrace from './LiveTrace.vue'
import { useTrace, type WidgetProps } from './widget'
import ZoneMark from '../components/ZoneMark.vue'
import { gasSeconds } from '../composables/useLivePoint'
import { shown } from '../composables/words'

/** A gas against time: the steps that are made, the one under way, and what stands already. */
const props = defineProps<WidgetProps>()
const trace = useTrace(props)
const steps = computed(() => props.measure.points.filter((p) => p.expected))
</script>

<template>
  <div class="grid md:grid-cols-[minmax(0,1fr)_200px]">
    <div class="h-44 border-r border-line">
      <LiveTrace
        :trace="trace"
        :seconds="gasSeconds"
        :low="point.expected?.low"
        :high="point.expected?.high"
        :reference="point.expected?.reference"
        :label="label"
      />
    </div>
    <ol class="self-center px-3 py-2" aria-label="Steps">
      <li
        v-for="p in steps"
        :key="p.id"
        class="flex items-center gap-2 py-1"
        :class="p.id === point.id ? 'text-lg font-semibold' : 'text-ink-2'"
        :aria-current="p.id === point.id ? 'step' : undefined"
      >
        <ZoneMark v-if="p.found" :zone="p.found.zone" :size="16" class="shrink-0" />
        <span v-else class="w-4 text-center">{{ p.id === point.id ? '▸' : '·' }}</span>
        <span>{{ p.label }}</span>
        <span class="num ml-auto">{{ shown(p.expected!.reference, measure.resolution) }}</span>
      </li>
    </ol>
  </div>
</template>
