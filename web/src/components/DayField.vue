<script setup lang="ts">
import { computed } from 'vue'
import { dayWords } from '../composables/words'

/** A day. The browser writes it in an order of its own; below it stands which day that is, in words. */
defineProps<{ label: string; name: string; min?: string; max?: string }>()
const day = defineModel<string>({ required: true })
const words = computed(() => [dayWords(day.value, { weekday: 'long' }), dayWords(day.value)].filter(Boolean).join(', '))
</script>

<template>
  <label class="block">
    <span class="label">{{ label }}</span>
    <input v-model="day" type="date" :name="name" class="field num" :min="min" :max="max" />
    <span class="mt-0.5 block min-h-5 text-sm text-ink-2">{{ words }}</span>
  </label>
</template>
