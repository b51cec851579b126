<script setup lang="ts">
import { computed } from 'vue'
import type { ControlChart } from '../api/client'
import { dayWords, localDay, significant } from '../composables/words'

/**
 * One level of a control over time, in standard deviations from its lot's mean. A run
 * that was rejected is a filled diamond, a warning a half disc, the others small dots.
 */
const props = defineProps<{ level: ControlChart['levels'][number]; runs: ControlChart['runs']; days: number }>()
/** What a method is worth is not said beside a run of it that stands rejected. */
const rejected = computed(() => !!props.runs.at(-1)?.rejected)
const width = 900
const height = 132
const left = 30
const reach = 4
const now = computed(() => Math.max(Date.now(), ...props.runs.slice(-1).map((r) => new Date(r.at).getTime())))
const x = (at: string) => {
  const from = now.value - props.days * 86_400_000
  return left + ((new Date(at).getTime() - from) / (now.value - from)) * (width - left - 10)
}
const y = (z: number) => height / 2 - (Math.max(-reach, Math.min(reach, z)) / reach) * (height / 2 - 8)
const points = computed(() =>
  props.runs.flatMap((r) =>
    r.points.filter((p) => p.level === props.level.level).map((p) => ({ ...p, run: r, x: x(r.at), y: y(p.z) })),
  ),
)
/** Where the series begins anew: another lot, a calibration, something that was done. */
const changes = computed(() => points.value.filter((p) => p.run.begins).map((p) => ({ x: p.x, why: p.run.begins })))
const size = computed(() => (props.days > 365 ? 1.6 : props.days > 100 ? 2.2 : 3.2))
</script>

<template>
  <figure class="border border-line bg-sheet px-2 py-1">
    <figcaption class="flex flex-wrap items-baseline gap-x-4 text-sm">
      <b>Level {{ level.level }}</b>
      <span class="text-ink-2"
        >lot <span class="num">{{ level.lot }}</span> until {{ dayWords(level.expires) }}</span
      >
      <span class="text-ink-2"
        >bias <span class="num">{{ significant(level.bias, 2) }}</span> %, CV
        <span class="num">{{ significant(level.cv, 2) }}</span> % of <span class="num">{{ level.n }}</span></span
      >
      <span v-if="level.sigma !== undefined" class="ml-auto"
        >sigma <b class="num">{{ level.sigma.toFixed(1) }}</b>
        <span class="text-ink-2">{{ rejected ? 'says nothing while a run stands rejected' : level.words }}</span></span
      >
    </figcaption>
    <svg :viewBox="`0 0 ${width} ${height}`" class="w-full" role="img" :aria-label="`level ${level.level} over time`">
      <rect :x="left" :y="y(2)" :width="width - left - 10" :height="y(-2) - y(2)" fill="var(--petrol-wash)" />
      <g v-for="z in [-3, 0, 3]" :key="z">
        <line
          :x1="left"
          :x2="width - 10"
          :y1="y(z)"
          :y2="y(z)"
          :stroke="z ? 'var(--vermilion)' : 'var(--ink-2)'"
          :stroke-dasharray="z ? '2 4' : undefined"
          stroke-width="0.8"
        />
        <text x="0" :y="y(z) + 4" font-size="11" fill="var(--ink-2)">{{ z > 0 ? `+${z}` : z }} SD</text>
      </g>
      <g v-for="c in changes" :key="c.x">
        <line :x1="c.x" :x2="c.x" y1="0" :y2="height" stroke="var(--brass)" stroke-dasharray="6 4" />
        <text :x="c.x + 3" y="11" font-size="10" fill="var(--brass)">{{ c.why }}</text>
      </g>
      <g v-for="p in points" :key="p.run.id">
        <path
          v-if="p.run.rejected"
          :d="`M${p.x} ${p.y - 5}l5 5l-5 5l-5 -5z`"
          fill="var(--vermilion)"
          :aria-label="`${localDay(p.run.at)}: ${p.run.words}`"
        >
          <title>{{ localDay(p.run.at) }}: {{ p.run.words }}</title>
        </path>
        <g v-else-if="p.run.warning">
          <circle :cx="p.x" :cy="p.y" r="4" fill="var(--sheet)" stroke="var(--brass)" stroke-width="1.5" />
          <path :d="`M${p.x} ${p.y - 4}a4 4 0 0 1 0 8z`" fill="var(--brass)" />
        </g>
        <circle v-else :cx="p.x" :cy="p.y" :r="size" fill="var(--ink)" />
      </g>
    </svg>
  </figure>
</template>
