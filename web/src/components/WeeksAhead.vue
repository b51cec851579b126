<script setup lang="ts">
import { computed } from 'vue'
import { dayWords } from '../composables/words'
import type { components } from '../api/schema.gen'

/** How much is due in each week to come: a bar with its number over its Monday. */
const props = defineProps<{ weeks: components['schemas']['WeekDue'][] }>()
const most = computed(() => Math.max(1, ...props.weeks.map((w) => w.due)))
</script>

<template>
  <div>
    <p id="weeks-ahead" class="label">Due in the week from</p>
    <ol class="flex items-end gap-1 sm:gap-2" aria-labelledby="weeks-ahead">
      <li v-for="w in weeks" :key="w.monday" class="min-w-0 grow text-center sm:w-12">
        <span class="num block text-sm">{{ w.due.toLocaleString('en') }}</span>
        <span class="flex h-8 items-end border-b border-ink" aria-hidden="true">
          <span class="w-full bg-brass" :style="{ height: `${Math.ceil((100 * w.due) / most)}%` }"></span>
        </span>
        <span class="block text-xs text-ink-2">{{ dayWords(w.monday, { day: 'numeric', month: 'short' }) }}</span>
      </li>
    </ol>
  </div>
</template>
