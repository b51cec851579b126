<script setup lang="ts">
import NeedleMark from '../components/NeedleMark.vue'
import type { components } from '../api/schema.gen'
import { localDay } from '../composables/words'

/** Runs that rested on a reference: each point before, and with what is known now. */
defineProps<{ runs: components['schemas']['TouchedRun'][] }>()
type Point = components['schemas']['TouchedPoint']
const needle = (lean: number, fan: number) => ({
  error_to_limit: lean,
  u_to_limit: fan,
  zone: Math.abs(lean) <= 1 ? ('inside' as const) : ('outside' as const),
})
const points = (all: Point[]) => [...all].sort((a, b) => Number(b.changed) - Number(a.changed)).slice(0, 6)
</script>

<template>
  <section>
    <h3 class="mt-6 text-lg">Runs that rested on it</h3>
    <p class="text-sm text-ink-2">
      Needles: hollow as it was stated, solid with what is known now. The records themselves stay as they are.
    </p>
    <ul class="rows mt-1 border-t-2 border-ink">
      <li v-for="r in runs" :key="r.run" class="grid sm:grid-cols-[220px_1fr] gap-4 py-2">
        <div>
          <RouterLink class="num font-semibold underline" :to="{ name: 'run', params: { id: r.run } }">{{
            r.tag
          }}</RouterLink>
          {{ localDay(r.at) }}
          <span class="block text-sm text-ink-2">{{ r.device }}, {{ r.place }}</span>
          <span v-if="r.unjudged" class="block font-semibold text-vermilion"
            >◆ cannot be judged again: {{ r.unjudged }}</span
          >
          <span v-else-if="r.changed" class="block font-semibold text-vermilion"
            >◆ {{ r.changed === 1 ? 'one statement changes' : `${r.changed} statements change` }}</span
          >
          <span v-else class="block text-petrol">● stands as it was</span>
        </div>
        <ul class="flex flex-wrap gap-x-4">
          <li v-for="(p, i) in points(r.points)" :key="i" class="flex items-center gap-2" :title="p.sentence">
            <NeedleMark
              :found="needle(p.before, p.fan_after)"
              :left="needle(p.after, p.fan_after)"
              :width="56"
              :label="p.sentence"
            />
            <span class="text-sm" :class="p.changed && 'font-semibold text-vermilion'"
              >{{ p.label }}<span class="block text-ink-2">{{ p.phase }}</span></span
            >
          </li>
          <li v-if="r.points.length > 6" class="self-center text-sm text-ink-2">and {{ r.points.length - 6 }} more</li>
        </ul>
      </li>
    </ul>
  </section>
</template>
