<script setup lang="ts">
import { computed } from 'vue'
import type { components } from '../api/schema.gen'
import { clock } from './clock'

/** A person's day to scale: hands in ink, the way dotted, waits of jobs below. */
type Block = components['schemas']['Block']
const props = defineProps<{ name: string; blocks: Block[]; from: number; until: number; at?: string }>()
const share = (minutes: number) => `${(100 * minutes) / (props.until - props.from)}%`
const hours = computed(() => {
  const all: number[] = []
  for (let m = Math.ceil(props.from / 60) * 60; m < props.until; m += 60) all.push(m)
  return all
})
/** Where a job runs by itself: between its two parts. */
const waits = computed(() =>
  props.blocks.flatMap((b) => {
    const end = b.part === 'set up' ? props.blocks.find((x) => x.job === b.job && x.part === 'finish') : undefined
    return end ? [{ job: b.job, from: b.until, until: end.from }] : []
  }),
)
</script>

<template>
  <figure class="mt-2" :aria-label="`${name}, the day to scale`">
    <figcaption class="text-sm font-semibold">{{ name }}</figcaption>
    <div class="relative h-11 border-x border-b border-line">
      <div
        v-for="h in hours"
        :key="h"
        class="absolute inset-y-0 border-l border-line"
        :style="{ left: share(h - from) }"
        aria-hidden="true"
      ></div>
      <template v-for="(b, i) in blocks" :key="i">
        <div
          v-if="b.travel"
          class="absolute top-1 h-5 border-b-2 border-dotted border-ink-2"
          :style="{ left: share(b.from - b.travel - from), width: share(b.travel) }"
        ></div>
        <div
          class="absolute top-1 h-5 border border-sheet"
          :class="b.job === at ? 'bg-brass' : 'bg-ink'"
          :style="{ left: share(b.from - from), width: share(b.until - b.from) }"
          :title="`${clock(b.from)} to ${clock(b.until)}`"
        ></div>
      </template>
      <div
        v-for="w in waits"
        :key="w.job"
        class="absolute bottom-2 h-1.5"
        :class="w.job === at ? 'bg-brass' : 'bg-petrol/50'"
        :style="{ left: share(w.from - from), width: share(w.until - w.from) }"
      ></div>
    </div>
    <div class="relative h-4 text-xs text-ink-2" aria-hidden="true">
      <span
        v-for="h in hours"
        :key="h"
        class="num absolute"
        :class="h > from && '-translate-x-1/2'"
        :style="{ left: share(h - from) }"
        >{{ clock(h) }}</span
      >
    </div>
  </figure>
</template>
