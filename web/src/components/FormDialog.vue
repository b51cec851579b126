<script setup lang="ts">
import type { Problem } from '../api/client'
import DialogShell from './DialogShell.vue'
import FormOutcome from './FormOutcome.vue'

/** A form in a dialog: its fields, what was refused and why, and the way back. */
defineProps<{
  title: string
  hint?: string
  action: string
  problem?: Problem
  busy?: boolean
  wide?: boolean
}>()
defineEmits<{ save: []; close: [] }>()
</script>

<template>
  <DialogShell :title="title" :hint="hint" :wide="wide ? 'wide' : undefined" @close="$emit('close')">
    <form class="mt-4" @submit.prevent="$emit('save')">
      <slot />
      <FormOutcome class="mt-3" :problem="problem" />
      <div class="mt-5 flex gap-3">
        <button class="btn btn-main" :disabled="busy">{{ action }}</button>
        <button type="button" class="btn" @click="$emit('close')">Back <kbd>Esc</kbd></button>
      </div>
    </form>
  </DialogShell>
</template>
