<script setup lang="ts">
import { computed } from 'vue'
import type { components } from '../api/schema.gen'

/** How a device stands: a shape, a colour and the word; and why, where there is room. */
type Standing = components['schemas']['Standing']
const props = defineProps<{ stands: Pick<Standing, 'state' | 'stop' | 'words'>; why?: boolean }>()
const mark = computed(() => {
  if (props.stands.stop) return { sign: '◆', tint: 'font-semibold text-vermilion' }
  if (props.stands.state === 'in doubt') return { sign: '◇', tint: 'font-semibold text-vermilion' }
  if (props.stands.state === 'in use') return { sign: '●', tint: 'text-petrol' }
  return { sign: '◐', tint: props.stands.state === 'overdue' ? 'font-semibold text-brass' : 'text-brass' }
})
const words = computed(() => (props.stands.state === 'out of use' ? 'out of use: not to be used' : props.stands.state))
</script>

<template>
  <span :title="why ? undefined : stands.words">
    <span :class="mark.tint"
      ><span aria-hidden="true">{{ mark.sign }}</span> {{ words }}</span
    ><span v-if="why && stands.words" class="text-ink-2">. {{ stands.words }}</span>
  </span>
</template>
