<script setup lang="ts">
import { useRunHandle } from './runHandle'

/** What the hand moves where, before the point is set and read: nothing is taken until it has said so. */
defineProps<{ move: string }>()
defineEmits<{ moved: [] }>()
const { sending } = useRunHandle()
</script>

<template>
  <div class="mt-3 border-2 border-brass bg-brass-wash p-4" role="status">
    <p class="label">By hand, now</p>
    <p class="text-3xl leading-snug">{{ move }}</p>
    <p class="mt-2 text-ink-2">Nothing is set or read before. Then Enter, the pedal, or a tap here.</p>
    <button class="btn btn-main mt-3 min-h-14 px-6 text-lg" :disabled="sending" @click="$emit('moved')">
      It is there <kbd>Enter</kbd>
    </button>
  </div>
</template>
