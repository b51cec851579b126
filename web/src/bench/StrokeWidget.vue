<script setup lang="ts">
import type { components } from '../api/schema.gen'
import { computed } from 'vue'
import LiveTrace from './LiveTrace.vue'
import { useTrace, type WidgetProps } from './widget'

/**
 * Strokes of a calibration syringe as they are made: the live flow, the speed of the
 * last stroke against its band, the pause, and every stroke with why it does not count.
 */
const props = defineProps<WidgetProps>()
const trace = useTrace(props)
const band = computed(() => ({ low: props.point.with?.low ?? 0, high: props.point.with?.high ?? 0 }))
const wanted = computed(() => props.measure.capture?.breaths ?? 0)
const strokes = computed(() => ((props.frame?.figures?.strokes ?? []) as components['schemas']['Stroke'][]).slice(-8))
const last = computed(() => strokes.value[strokes.value.length - 1])
const counted = computed(() => strokes.value.filter((s) => s.counted).length)
const injected = computed(() => (props.point.with?.direction ?? 1) > 0)
const flow = computed(() => trace.value.v[trace.value.v.length - 1] ?? 0)
const moving = computed(() => Math.abs(flow.value) > 0.05)
/** How much of the pause between strokes has passed, from none to all of it. */
const paused = computed(() => {
  const { t, v } = trace.value
  const wanted = props.measure.capture?.with?.pause ?? 0
  if (!t.length || !wanted || moving.value) return 0
  let i = v.length - 1
  while (i > 0 && Math.abs(v[i - 1]!) <= 0.05) i--
  return Math.min(1, (t[t.length - 1]! - t[i]!) / wanted)
})
const ring = 2 * Math.PI * 15

/** Speeds lie on a logarithmic scale from 0.2 to 15 L/s. */
const at = (speed: number) => (Math.log(Math.max(0.2, Math.min(15, speed)) / 0.2) / Math.log(75)) * 100
</script>

<template>
  <div>
    <div class="h-32"><LiveTrace :trace="trace" :label="label" /></div>
    <div class="grid sm:grid-cols-[1fr_auto] items-center gap-5 border-t border-line px-3 py-3">
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
        <p class="num text-[2.125rem] leading-none">{{ Math.min(counted, wanted) }}/{{ wanted }}</p>
        <p class="mt-1 flex items-center justify-center gap-2 text-sm text-ink-2">
          <svg width="36" height="36" viewBox="0 0 36 36" role="img" aria-label="pause">
            <circle cx="18" cy="18" r="15" fill="none" stroke="var(--line)" stroke-width="4" />
            <circle
              cx="18"
              cy="18"
              r="15"
              fill="none"
              stroke="var(--petrol)"
              stroke-width="4"
              :stroke-dasharray="`${ring * paused} ${ring}`"
              transform="rotate(-90 18 18)"
            />
          </svg>
          {{ moving ? 'moving' : paused < 1 ? 'pause …' : 'go on' }}
        </p>
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
