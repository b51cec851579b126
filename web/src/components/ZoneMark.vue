<script setup lang="ts">
import { computed } from 'vue'
import type { Zone } from '../api/client'

/** The four zones by shape first, colour second: ● ◐ ◇ ◆, and ○ for not done. */
const props = defineProps<{ zone?: Zone; size?: number }>()
const words: Record<string, string> = {
  inside: 'inside',
  inside_doubtful: 'inside, doubtful',
  outside_doubtful: 'outside, doubtful',
  outside: 'outside',
}
const label = computed(() => (props.zone ? words[props.zone] : 'not done'))
const colour = computed(() =>
  !props.zone ? 'var(--ink-2)' : props.zone.startsWith('inside') ? 'var(--petrol)' : 'var(--vermilion)',
)
</script>

<template>
  <svg :width="size ?? 16" :height="size ?? 16" viewBox="0 0 18 18" role="img" :aria-label="label">
    <template v-if="!zone || zone.startsWith('inside')">
      <circle cx="9" cy="9" r="7" :fill="zone === 'inside' ? colour : 'none'" :stroke="colour" stroke-width="2" />
      <path v-if="zone === 'inside_doubtful'" d="M9 2a7 7 0 0 1 0 14z" :fill="colour" />
    </template>
    <path
      v-else
      d="M9 1 17 9 9 17 1 9Z"
      :fill="zone === 'outside' ? colour : 'none'"
      :stroke="colour"
      stroke-width="2"
    />
  </svg>
</template>
