<script setup lang="ts">
import { computed } from 'vue'
import LiveTrace from './LiveTrace.vue'
import type { LiveFrame, Measure, Point } from '../api/client'

/**
 * Strokes of a calibration syringe as they are made: the live flow, the speed of the
 * last stroke against its band, the pause, and every stroke with why it does not count.
 */
const props = defineProps<{
  trace: { t: number[]; v: number[] }
  frame?: LiveFrame
  measure: Measure
  point: Point
  label: string
}>()
const band = computed(() => ({ low: props.point.with?.low ?? 0, high: props.point.with?.high ?? 0 }))
const wanted = computed(() => props.measure.capture?.breaths ?? 0)
const strokes = computed(() => (props.frame?.strokes ?? []).slice(-8))
const last = computed(() => strokes.value[strokes.value.length - 1])
const counted = computed(() => strokes.value.filter((s) => s.counted).length)
const injected = computed(() => (props.point.with?.direction ?? 1) > 0)
const flow = computed(() => props.trace.v[props.trace.v.length - 1] ?? 0)
const moving = computed(() => Math.abs(flow.value) > 0.05)

/** Speeds lie on a logarithmic scale from 0.2 to 15 L/s. */
const at = (speed: number) => (Math.log(Math.max(0.2, Math.min(15, speed)) / 0.2) / Math.log(75)) * 100
</script>

<template>
  <div>
    <div class="h-32"><LiveTrace :trace="trace" :label="label" /></div>
    <div class="grid grid-cols-[1fr_auto] items-center gap-5 border-t border-line px-3 py-3">
      <div>
        <p class="flex items-baseline justify-between">
          <span class="text-lg font-semibold">{{ injected ? 'Injected' : 'Withdrawn' }} strokes</span>
          <span class="text-ink-2"
            >mean flow <span class="num">{{ band.low }}</span> to <span class="num">{{ band.high }}</span> L/s</span
          >
        </p>
        <svg viewBox="0 0 100 12" preserveAspectRatio="none" class="mt-2 h-7 w-full" role="img" aria-label="speed band">
          <rect x="0" y="4" width="100" height="4" fill="var(--line)" />
          <rect
            :x="at(band.low)"
            y="1"
            :width="at(band.high) - at(band.low)"
            height="10"
            fill="var(--petrol-wash)"
            stroke="var(--petrol)"
            stroke-width="0.4"
          />
          <rect
            v-if="last"
            :x="at(last.mean) - 0.6"
            y="0"
            width="1.2"
            height="12"
            :fill="last.mean >= band.low && last.mean <= band.high ? 'var(--ink)' : 'var(--vermilion)'"
          />
        </svg>
      </div>
      <div class="text-center" aria-live="polite">
        <p class="num text-[34px] leading-none">{{ Math.min(counted, wanted) }}/{{ wanted }}</p>
        <p class="mt-1 text-sm text-ink-2">{{ moving ? 'moving' : 'pause' }}</p>
      </div>
    </div>
    <ul class="flex min-h-11 flex-wrap gap-x-5 gap-y-1 border-t border-line px-3 py-2 text-sm">
      <li v-for="(s, i) in strokes" :key="s.start + '-' + i" class="flex items-center gap-2">
        <svg
          width="16"
          height="16"
          viewBox="0 0 16 16"
          role="img"
          :aria-label="s.counted ? 'counts' : 'does not count'"
        >
          <rect
            x="2"
            y="2"
            width="12"
            height="12"
            :fill="s.counted ? 'var(--petrol)' : 'none'"
            :stroke="s.counted ? 'var(--petrol)' : 'var(--vermilion)'"
            stroke-width="2"
          />
        </svg>
        <span class="num">{{ s.volume.toFixed(2) }} L</span>
        <span v-if="!s.counted" class="text-vermilion">{{ s.why?.[0] }}</span>
      </li>
      <li v-if="!strokes.length" class="text-ink-2">No stroke yet: withdraw, pause, inject, pause.</li>
    </ul>
  </div>
</template>
