<script setup lang="ts">
import { ApiError } from '../api/client'

/** The states a view has before it has its data: loading, failed, not there. */
defineProps<{ error: unknown; what: string }>()
defineEmits<{ again: [] }>()
</script>

<template>
  <div v-if="error" class="m-6 max-w-xl border-2 border-ink bg-sheet p-5" role="alert">
    <h2 class="text-xl">
      {{
        error instanceof ApiError && error.problem.status === 404 ? `There is no such ${what}` : `No ${what} to show`
      }}
    </h2>
    <p class="mt-2">{{ error instanceof ApiError ? error.problem.detail : String(error) }}</p>
    <button class="btn mt-4" @click="$emit('again')">Try again</button>
  </div>
  <div v-else class="m-6" role="status">
    <div class="hatched h-2 w-48"></div>
    <p class="mt-2 text-ink-2">Fetching the {{ what }} …</p>
  </div>
</template>
