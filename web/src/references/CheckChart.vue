<script setup lang="ts">
import { computed } from 'vue'
import type { components } from '../api/schema.gen'
import { dayWords, significant } from '../composables/words'

/** What checks found of a reference, as a share of what it may have moved by: beyond 1 it does not hold. */
const props = defineProps<{ checks: components['schemas']['CheckView'][] }>()
const width = 640
const height = 150
const most = computed(() => Math.max(1.4, ...props.checks.map((c) => Math.abs(c.by / c.allowed))))
const times = computed(() => props.checks.map((c) => new Date(c.on).getTime()))
const x = (at: number) => {
  const from = times.value[0]!
  const to = times.value[times.value.length - 1]!
  return to === from ? width / 2 : 70 + ((at - from) / (to - from)) * (width - 130)
}
const y = (share: number) => (height - 26) / 2 - (share / most.value) * ((height - 40) / 2)
</script>

<template>
  <figure>
    <figcaption class="text-sm text-ink-2">
      How far it was off, as a share of what it may be: between the lines it holds
    </figcaption>
    <svg
      :viewBox="`0 0 ${width} ${height}`"
      class="mt-1 w-full max-w-[680px]"
      role="img"
      aria-label="checks between certificates"
    >
      <g stroke-width="1.5">
        <line
          v-for="s in [1, -1]"
          :key="s"
          x1="40"
          :x2="width - 10"
          :y1="y(s)"
          :y2="y(s)"
          stroke="var(--vermilion)"
          stroke-dasharray="6 4"
        />
        <line x1="40" :x2="width - 10" :y1="y(0)" :y2="y(0)" stroke="var(--line)" />
      </g>
      <g font-size="13" fill="var(--ink-2)">
        <text x="0" :y="y(1) + 4">+1</text>
        <text x="0" :y="y(0) + 4">0</text>
        <text x="0" :y="y(-1) + 4">−1</text>
      </g>
      <g v-for="(c, i) in checks" :key="c.id">
        <title>{{ dayWords(c.on) }}: {{ significant(c.by / c.allowed, 2) }}</title>
        <circle v-if="c.held" :cx="x(times[i]!)" :cy="y(c.by / c.allowed)" r="5" fill="var(--petrol)" />
        <path v-else :d="`M${x(times[i]!)} ${y(c.by / c.allowed) - 7}l7 7l-7 7l-7 -7z`" fill="var(--vermilion)" />
        <text
          v-if="i === 0 || i === checks.length - 1"
          :x="x(times[i]!)"
          :y="height - 6"
          text-anchor="middle"
          font-size="13"
          fill="var(--ink-2)"
        >
          {{ dayWords(c.on) }}
        </text>
      </g>
    </svg>
  </figure>
</template>
