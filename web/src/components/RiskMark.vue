<script setup lang="ts">
/** Risk from 1 to 5, as that many filled notches. */
defineProps<{ risk: number }>()
</script>

<template>
  <svg width="44" height="14" viewBox="0 0 44 14" role="img" :aria-label="`risk ${risk} of 5`">
    <title>risk {{ risk }} of 5</title>
    <path
      v-for="n in 5"
      :key="n"
      :d="`M${(n - 1) * 9 + 1} 1h5l-2.5 12z`"
      :fill="n <= risk ? 'var(--ink)' : 'none'"
      stroke="var(--ink-2)"
    />
  </svg>
</template>
