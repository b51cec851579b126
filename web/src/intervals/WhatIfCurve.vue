<script setup lang="ts">
import { computed } from 'vue'
import type { components } from '../api/schema.gen'

/** What other intervals would mean, as a curve over their length. */
const props = defineProps<{
  curve: components['schemas']['Choice'][]
  pick: (c: components['schemas']['Choice']) => number
  title: string
  words: (v: number) => string
  current: number
  recommended: number
}>()
const width = 300
const height = 150
const left = 8
const bottom = 24
const most = computed(() => Math.max(...props.curve.map((c) => c.days)))
const top = computed(() => Math.max(...props.curve.map(props.pick)) || 1)
const x = (days: number) => left + (days / most.value) * (width - left - 12)
const y = (v: number) => height - bottom - (v / top.value) * (height - bottom - 22)
const line = computed(() => props.curve.map((c) => `${x(c.days)},${y(props.pick(c))}`).join(' '))
const marked = computed(() => props.curve.filter((c) => c.days === props.current || c.days === props.recommended))
</script>

<template>
  <figure class="min-w-0">
    <figcaption class="text-sm text-ink-2">{{ title }}</figcaption>
    <svg :viewBox="`0 0 ${width} ${height}`" class="w-full" role="img" :aria-label="`${title}, by length of interval`">
      <line :x1="left" :x2="width" :y1="height - bottom" :y2="height - bottom" class="stroke-ink" />
      <polyline :points="line" fill="none" class="stroke-ink" stroke-width="1.5" />
      <g v-for="c in marked" :key="c.days">
        <line
          :x1="x(c.days)"
          :x2="x(c.days)"
          :y1="y(pick(c))"
          :y2="height - bottom"
          class="stroke-line"
          stroke-dasharray="2 3"
        />
        <circle
          :cx="x(c.days)"
          :cy="y(pick(c))"
          r="5"
          stroke-width="2"
          class="stroke-ink"
          :class="c.days === recommended ? 'fill-brass' : 'fill-sheet'"
        />
        <text
          :x="Math.min(width - 40, Math.max(28, x(c.days)))"
          :y="y(pick(c)) - 9"
          text-anchor="middle"
          class="num fill-ink text-[0.75rem]"
        >
          {{ words(pick(c)) }}
        </text>
        <text
          :x="Math.min(width - 24, Math.max(18, x(c.days)))"
          :y="height - 8"
          text-anchor="middle"
          class="num fill-ink-2 text-[0.75rem]"
        >
          {{ c.days }} d
        </text>
      </g>
    </svg>
  </figure>
</template>
