<script setup lang="ts">
import { computed } from 'vue'
import type { components } from '../api/schema.gen'

/** The state of a link, by shape and word. */
const props = defineProps<{ instrument: components['schemas']['InstrumentView'] }>()
const marks = {
  alive: { mark: '●', word: 'alive', tone: 'text-petrol' },
  connecting: { mark: '○', word: 'connecting', tone: 'text-ink-2' },
  silent: { mark: '◐', word: 'silent', tone: 'text-vermilion' },
  garbled: { mark: '◇', word: 'cannot be read', tone: 'text-vermilion' },
  lost: { mark: '◆', word: 'lost', tone: 'text-vermilion' },
}
const state = computed(() => {
  const link = props.instrument.link
  if (props.instrument.retired) return { mark: '○', word: 'retired', tone: 'text-ink-2' }
  return link ? marks[link.state] : { mark: '◆', word: 'not connected', tone: 'text-vermilion' }
})
</script>

<template>
  <span class="font-semibold whitespace-nowrap" :class="state.tone">{{ state.mark }} {{ state.word }}</span>
  <span v-if="instrument.link?.simulated" class="ml-2 border border-dashed border-ink-2 px-1.5 text-sm">simulated</span>
</template>
