<script setup lang="ts">
/** Risk from 1 to 5, as that many notches. */
defineProps<{ risk: number }>()
</script>

<template>
  <svg width="44" height="16" viewBox="0 0 44 16" role="img" :aria-label="`risk ${risk} of 5`">
    <rect
      v-for="n in 5"
      :key="n"
      :x="(n - 1) * 9"
      :y="12 - n * 2"
      width="6"
      :height="4 + n * 2"
      :fill="n <= risk ? 'var(--ink)' : 'none'"
      stroke="var(--ink-2)"
    />
  </svg>
</template>
