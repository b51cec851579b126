<script setup lang="ts">
import { Dialog, DialogPanel, DialogTitle } from '@headlessui/vue'

/** A dialog over the page: in its middle, or as a sheet at its side. */
defineProps<{
  title: string
  hint?: string
  wide?: 'narrow' | 'wide'
  side?: boolean
  initialFocus?: HTMLElement | null
}>()
defineEmits<{ close: [] }>()
const widths = { narrow: 'max-w-md', wide: 'max-w-4xl' }
</script>

<template>
  <Dialog :open="true" :initial-focus="initialFocus" class="relative z-20" @close="$emit('close')">
    <div class="fixed inset-0 bg-ink/40" aria-hidden="true"></div>
    <div :class="side ? 'fixed inset-0 flex justify-end' : 'fixed inset-0 grid place-items-center overflow-auto p-4'">
      <DialogPanel
        class="w-full bg-sheet p-5"
        :class="[
          side ? 'h-full overflow-auto border-l-2 border-ink' : 'border-2 border-ink',
          wide ? widths[wide] : 'max-w-2xl',
        ]"
      >
        <DialogTitle class="text-xl">{{ title }}</DialogTitle>
        <p v-if="hint" class="mt-1 text-ink-2">{{ hint }}</p>
        <slot />
      </DialogPanel>
    </div>
  </Dialog>
</template>
