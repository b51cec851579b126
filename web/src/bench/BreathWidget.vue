<script setup lang="ts">
import { computed } from 'vue'
import LiveTrace from './LiveTrace.vue'
import type { WidgetProps } from './widget'

/** A ventilator's breaths: pressure, flow and volume, and the figures of the last one. */
const props = defineProps<WidgetProps>()
const rows = computed(() => [
  { channel: 'PRESSURE', label: 'Pressure', unit: 'cmH₂O' },
  { channel: 'FLOW', label: 'Flow', unit: 'L/min' },
  { channel: 'VOLUME', label: 'Volume', unit: 'mL' },
])
const none = { t: [], v: [] }
/** The figure that is being read stands out. */
const read: Record<string, string> = {
  'breath-volume': 'VT',
  'breath-peak': 'peak',
  'breath-peep': 'PEEP',
  'breath-plateau': 'plateau',
  'breath-rate': 'rate',
  'breath-ratio': 'I:E',
}
const chosen = computed(() => read[props.measure.capture?.kind ?? ''])
</script>

<template>
  <div class="grid md:grid-cols-[minmax(0,1fr)_236px]">
    <div class="border-r border-line">
      <div
        v-for="r in rows"
        :key="r.channel"
        class="grid h-20 grid-cols-[76px_minmax(0,1fr)] items-center border-t border-line first:border-t-0"
      >
        <span class="pl-3 text-sm leading-tight text-ink-2">{{ r.label }}<br />{{ r.unit }}</span>
        <LiveTrace :trace="traces[r.channel] ?? none" :seconds="12" :label="`live ${r.label.toLowerCase()}`" />
      </div>
    </div>
    <dl class="grid grid-cols-[auto_1fr] content-center gap-x-3 px-3 py-2">
      <template v-for="f in frame?.facts" :key="f.label">
        <dt :class="f.label === chosen ? 'self-center text-lg font-semibold' : 'text-sm text-ink-2'">{{ f.label }}</dt>
        <dd
          class="num text-right whitespace-nowrap"
          :class="f.label === chosen ? 'text-2xl font-medium' : 'text-sm'"
          :aria-current="f.label === chosen || undefined"
        >
          {{ f.text }}
        </dd>
      </template>
      <dt v-if="!frame?.facts?.length" class="col-span-2 text-ink-2">Waiting for whole breaths.</dt>
    </dl>
  </div>
</template>
