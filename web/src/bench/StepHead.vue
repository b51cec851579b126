<script setup lang="ts">
/** What the step is, how it is done, and its caution. */
defineProps<{ title: string; do?: string; caution?: string; symptom?: string }>()
</script>

<template>
  <div>
    <h2 class="text-2xl">{{ title }}</h2>
    <p v-if="$props.do" class="mt-2 max-w-[62ch] text-[1.0625rem]">{{ $props.do }}</p>
    <p v-if="symptom" class="mt-2 max-w-[62ch] text-ink-2">
      <span class="font-semibold">If it is not right:</span> {{ symptom }}
    </p>
    <p v-if="caution" class="mt-3 border-l-4 border-vermilion bg-vermilion-wash px-3 py-1.5">{{ caution }}</p>
  </div>
</template>
