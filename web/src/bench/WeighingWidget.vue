<script setup lang="ts">
import type { components } from '../api/schema.gen'
import { computed } from 'vue'
import LiveTrace from './LiveTrace.vue'
import { useTrace, type WidgetProps } from './widget'

/** A pump on a balance: the mass against time, and how the mean flow error narrows over longer windows. */
const props = defineProps<WidgetProps>()
const trace = useTrace(props)
const trumpet = computed(() => props.frame?.figures?.trumpet as components['schemas']['Trumpet'] | undefined)
const rows = computed(() =>
  (trumpet.value?.windows_min ?? []).map((w, i) => ({
    window: w,
    max: trumpet.value!.ep_max_percent![i]!,
    min: trumpet.value!.ep_min_percent![i]!,
  })),
)
const reach = computed(() => Math.max(10, ...rows.value.flatMap((r) => [Math.abs(r.max), Math.abs(r.min)])))
const x = (i: number) => 20 + i * (160 / Math.max(1, rows.value.length - 1))
const y = (percent: number) => 60 - (percent / reach.value) * 52
const line = (of: 'max' | 'min') => rows.value.map((r, i) => `${x(i)},${y(r[of])}`).join(' ')
</script>

<template>
  <div class="grid md:grid-cols-[minmax(0,1fr)_240px]">
    <div class="h-44 border-r border-line"><LiveTrace :trace="trace" :label="label" /></div>
    <figure class="px-2 py-1">
      <svg viewBox="0 0 200 120" class="w-full" role="img" aria-label="mean flow error by window">
        <rect x="12" :y="y(5)" width="176" :height="y(-5) - y(5)" fill="var(--petrol-wash)" />
        <line x1="12" x2="188" :y1="y(0)" :y2="y(0)" stroke="var(--line)" />
        <polyline :points="line('max')" fill="none" stroke="var(--ink)" stroke-width="2" />
        <polyline :points="line('min')" fill="none" stroke="var(--ink)" stroke-width="2" />
        <text v-for="(r, i) in rows" :key="r.window" :x="x(i)" y="117" text-anchor="middle" font-size="9" class="num">
          {{ r.window }}
        </text>
      </svg>
      <figcaption class="text-center text-sm text-ink-2">
        <template v-if="rows.length">
          largest and smallest error over <span class="num">{{ rows[rows.length - 1]!.window }}</span> min:
          <span class="num">{{ rows[rows.length - 1]!.max.toFixed(1) }}</span> and
          <span class="num">{{ rows[rows.length - 1]!.min.toFixed(1) }}</span> %
        </template>
        <template v-else>The trumpet curve needs a minute.</template>
      </figcaption>
    </figure>
  </div>
</template>
