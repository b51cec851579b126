<script setup lang="ts">
import ThumbBar from './ThumbBar.vue'
import { onMounted } from 'vue'
import { useRunHandle } from './runHandle'
import { tone } from '../composables/useTone'

/** What the hand moves where, before the point is set and read: nothing is taken until it has said so. */
defineProps<{ move: string }>()
defineEmits<{ moved: [] }>()
const { sending } = useRunHandle()
onMounted(() => tone('hand'))
</script>

<template>
  <div class="mt-3 border-2 border-brass bg-brass-wash p-4" role="status">
    <p class="label">By hand, now</p>
    <p class="text-3xl leading-snug">{{ move }}</p>
    <p class="mt-2 text-ink-2">Nothing is set or read before. Then Enter, the pedal, or a tap here.</p>
    <ThumbBar class="mt-3">
      <button class="btn btn-main min-h-14 px-6 text-lg" :disabled="sending" @click="$emit('moved')">
        It is there <kbd>Enter</kbd>
      </button>
    </ThumbBar>
  </div>
</template>
