<script setup lang="ts">
/** Why something was not done, in words; nothing where there are none. */
defineProps<{ words?: string }>()
</script>

<template>
  <div v-if="words || $slots.default" class="border-l-4 border-vermilion bg-vermilion-wash px-3 py-2" role="alert">
    <slot>{{ words }}</slot>
  </div>
</template>
