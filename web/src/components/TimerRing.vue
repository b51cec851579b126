<script setup lang="ts">
import { computed } from 'vue'

/** A timer as a ring that empties; full petrol when it is over. */
const props = defineProps<{ started: string; until: string; now: number; size?: number }>()
const share = computed(() => {
  const from = new Date(props.started).getTime()
  const to = new Date(props.until).getTime()
  return Math.max(0, Math.min(1, (to - props.now) / Math.max(1, to - from)))
})
const size = computed(() => props.size ?? 40)
</script>

<template>
  <svg :width="size" :height="size" viewBox="0 0 40 40" aria-hidden="true">
    <circle cx="20" cy="20" r="16" fill="none" :stroke="share ? 'var(--line)' : 'var(--petrol)'" stroke-width="5" />
    <circle
      v-if="share"
      cx="20"
      cy="20"
      r="16"
      fill="none"
      stroke="var(--brass)"
      stroke-width="5"
      :stroke-dasharray="`${share * 100.5} 200`"
      transform="rotate(-90 20 20)"
    />
  </svg>
</template>
