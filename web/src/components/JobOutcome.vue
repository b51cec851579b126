<script setup lang="ts">
import type { Job } from '../composables/useJob'

/** How far a job is, and the file that it ended in. */
defineProps<{ job: Job; file: string }>()
</script>

<template>
  <div v-if="job.state === 'running'" aria-live="polite">
    <progress class="h-4 w-full accent-ink" :value="job.done" :max="job.all"></progress>
    <p class="num text-sm">{{ Math.floor((100 * job.done) / job.all) }} %</p>
  </div>
  <p v-else-if="job.state === 'done'">
    <a class="btn btn-main inline-flex items-center" :href="`/api/jobs/${job.id}/file`" target="_blank">{{ file }}</a>
  </p>
  <p v-else class="font-semibold text-vermilion">◆ {{ job.why || 'It was stopped.' }}</p>
</template>
