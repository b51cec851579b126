<script setup lang="ts">
import { computed } from 'vue'
import type { components } from '../api/schema.gen'

/** A share as a bar, with the line of the bounds it lies in at 95 %. */
const props = defineProps<{ share: components['schemas']['Share'] }>()
const percent = (x: number) => Math.round(100 * x)
const words = computed(
  () =>
    `${props.share.of} of ${props.share.all}, ${percent(props.share.value)} %; ` +
    `${percent(props.share.low)} to ${percent(props.share.high)} % at 95 %`,
)
</script>

<template>
  <span class="flex items-center gap-3">
    <svg viewBox="0 0 200 18" preserveAspectRatio="none" class="h-[18px] grow" role="img" :aria-label="words">
      <rect x="0" y="3" width="200" height="12" class="fill-line" opacity="0.5" />
      <rect x="0" y="3" :width="200 * share.value" height="12" class="fill-petrol" opacity="0.5" />
      <line :x1="200 * share.low" :x2="200 * share.high" y1="9" y2="9" class="stroke-ink" stroke-width="2" />
      <line :x1="200 * share.low" :x2="200 * share.low" y1="4" y2="14" class="stroke-ink" stroke-width="1.5" />
      <line :x1="200 * share.high" :x2="200 * share.high" y1="4" y2="14" class="stroke-ink" stroke-width="1.5" />
    </svg>
    <span class="num w-14 text-right font-semibold">{{ percent(share.value) }} %</span>
    <span class="num w-24 text-sm text-ink-2">{{ percent(share.low) }} to {{ percent(share.high) }}</span>
  </span>
</template>
