<script setup lang="ts">
import type { components } from '../api/schema.gen'
import { counted } from '../composables/words'
import LinesThatChange from './LinesThatChange.vue'

/** What came of trying a procedure on simulated devices, and what differs from the one in use. */
defineProps<{ trial: components['schemas']['DryRun'] }>()
</script>

<template>
  <div class="grid gap-3">
    <p v-if="trial.mistakes.length" class="border-l-4 border-vermilion bg-vermilion-wash px-3 py-2">
      It cannot be tried yet: {{ trial.mistakes[0]!.field }} {{ trial.mistakes[0]!.message }}
    </p>
    <p v-else-if="trial.stopped" class="border-l-4 border-vermilion bg-vermilion-wash px-3 py-2">
      ▲ The trial came to a stop: {{ trial.stopped }}
    </p>
    <p v-else class="border-l-4 border-petrol bg-petrol-wash px-3 py-2">
      ● Played through from start to signature on a healthy simulated device: {{ trial.result }},
      {{ counted(trial.points, 'point') }}.
    </p>
    <template v-if="!trial.mistakes.length && !trial.new">
      <p v-if="!trial.diff.length" class="text-ink-2">Nothing differs from what is in use.</p>
      <details v-else open>
        <summary class="min-h-11 cursor-pointer py-2 font-semibold">
          What changes against revision {{ trial.before }}, in use
        </summary>
        <LinesThatChange :lines="trial.diff" label="What changes" />
      </details>
    </template>
  </div>
</template>
