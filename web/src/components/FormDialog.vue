<script setup lang="ts">
import { Dialog, DialogPanel, DialogTitle } from '@headlessui/vue'
import type { Problem } from '../api/client'
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
  <Dialog :open="true" class="relative z-20" @close="$emit('close')">
    <div class="fixed inset-0 bg-ink/40" aria-hidden="true"></div>
    <div class="fixed inset-0 grid place-items-center overflow-auto p-4">
      <DialogPanel class="w-full border-2 border-ink bg-sheet p-5" :class="wide ? 'max-w-4xl' : 'max-w-2xl'">
        <form @submit.prevent="$emit('save')">
          <DialogTitle class="text-xl">{{ title }}</DialogTitle>
          <p v-if="hint" class="mt-1 text-ink-2">{{ hint }}</p>
          <div class="mt-4"><slot /></div>
          <FormOutcome class="mt-3" :problem="problem" />
          <div class="mt-5 flex gap-3">
            <button class="btn btn-main" :disabled="busy">{{ action }}</button>
            <button type="button" class="btn" @click="$emit('close')">Back <kbd>Esc</kbd></button>
          </div>
        </form>
      </DialogPanel>
    </div>
  </Dialog>
</template>
