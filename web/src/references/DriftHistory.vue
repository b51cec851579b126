<script setup lang="ts">
import { computed } from 'vue'
import type { Reference } from '../api/client'
import { dayWords, significant, unitWords } from '../composables/words'

/** A reference's certified value from one certificate to the next, each with its U. */
const props = defineProps<{ certificates: Reference['certificates'] }>()
const width = 640
const height = 170
const points = computed(() =>
  props.certificates
    .map((c) => ({ at: new Date(c.on).getTime(), on: c.on, v: c.values[0] }))
    .filter((p) => p.v && !p.v.piece && p.v.value !== undefined && !p.v.from && !p.v.to)
    .map((p) => ({ at: p.at, on: p.on, value: p.v!.value!, u: p.v!.u })),
)
const first = computed(() => props.certificates[0]?.values[0])
const scale = computed(() => {
  const all = points.value
  const low = Math.min(...all.map((p) => p.value - p.u))
  const high = Math.max(...all.map((p) => p.value + p.u))
  const from = all[0]?.at ?? 0
  const to = all[all.length - 1]?.at ?? 1
  return {
    x: (at: number) => 90 + ((at - from) / Math.max(1, to - from)) * (width - 150),
    y: (v: number) => height - 34 - ((v - low) / Math.max(1e-12, high - low)) * (height - 54),
    low,
    high,
  }
})
const path = computed(() => points.value.map((p) => `${scale.value.x(p.at)},${scale.value.y(p.value)}`).join(' '))
</script>

<template>
  <figure v-if="points.length > 1">
    <figcaption class="text-sm text-ink-2">
      {{ first?.quantity }} in {{ unitWords(first?.unit ?? '') || 'units' }}, from certificate to certificate; the bars
      are U
    </figcaption>
    <svg :viewBox="`0 0 ${width} ${height}`" class="mt-1 w-full max-w-[680px]" role="img" aria-label="drift history">
      <g font-size="13" fill="var(--ink-2)">
        <text :x="0" :y="scale.y(scale.high) + 4">{{ significant(scale.high, 5) }}</text>
        <text :x="0" :y="scale.y(scale.low) + 4">{{ significant(scale.low, 5) }}</text>
      </g>
      <polyline :points="path" fill="none" stroke="var(--line)" stroke-width="2" />
      <g v-for="p in points" :key="p.at">
        <path
          :d="`M${scale.x(p.at)} ${scale.y(p.value - p.u)}V${scale.y(p.value + p.u)}M${scale.x(p.at) - 7} ${scale.y(p.value - p.u)}h14M${scale.x(p.at) - 7} ${scale.y(p.value + p.u)}h14`"
          stroke="var(--petrol)"
          stroke-width="1.5"
        />
        <circle :cx="scale.x(p.at)" :cy="scale.y(p.value)" r="4.5" fill="var(--petrol)" />
        <text :x="scale.x(p.at)" :y="height - 8" text-anchor="middle" font-size="13" fill="var(--ink-2)">
          {{ dayWords(p.on) }}
        </text>
      </g>
    </svg>
  </figure>
</template>
