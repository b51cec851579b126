<script setup lang="ts">
import type { Problem } from '../api/client'

/** A calculator: what goes in on the left; what comes out, with formula and source, on the right. */
defineProps<{ title: string; about: string; problem?: Problem; formula?: string; source?: string }>()
</script>

<template>
  <section class="grid gap-8 lg:grid-cols-[minmax(0,440px)_minmax(0,1fr)]">
    <div>
      <h2 class="text-2xl">{{ title }}</h2>
      <p class="mt-1 text-ink-2">{{ about }}</p>
      <div class="mt-4"><slot name="in" /></div>
    </div>
    <div class="border-2 border-ink bg-sheet p-5" aria-live="polite">
      <p v-if="problem" class="border-l-4 border-brass bg-brass-wash px-3 py-2" role="status">{{ problem.detail }}</p>
      <template v-else-if="formula">
        <slot name="out" />
        <p class="num mt-5 border-t border-line pt-3 text-sm break-words">{{ formula }}</p>
        <p class="mt-1 text-sm text-ink-2">{{ source }}</p>
        <p class="mt-1 text-sm text-ink-2">Nothing here is recorded.</p>
      </template>
      <p v-else class="text-ink-2">Computing …</p>
    </div>
  </section>
</template>
