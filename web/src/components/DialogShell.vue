<script setup lang="ts">
import { Dialog, DialogPanel, DialogTitle } from '@headlessui/vue'

/** A dialog over the page: in its middle, as a sheet at its side, or as a drawer from below. */
defineProps<{
  title: string
  hint?: string
  wide?: 'narrow' | 'wide'
  side?: boolean
  drawer?: boolean
  initialFocus?: HTMLElement | null
}>()
defineEmits<{ close: [] }>()
const widths = { narrow: 'max-w-md', wide: 'max-w-4xl' }
</script>

<template>
  <Dialog :open="true" :initial-focus="initialFocus" class="relative z-20" @close="$emit('close')">
    <div class="fixed inset-0 bg-ink/40" aria-hidden="true"></div>
    <div
      class="fixed inset-0"
      :class="side ? 'flex justify-end' : drawer ? 'flex items-end' : 'grid place-items-center overflow-auto sm:p-4'"
    >
      <DialogPanel
        class="w-full min-w-0 bg-sheet p-4 sm:p-5"
        :class="[
          side
            ? 'h-full overflow-auto border-l-2 border-ink'
            : drawer
              ? 'max-h-[85dvh] overflow-auto border-t-2 border-ink'
              : 'border-2 border-ink',
          drawer ? '' : wide ? widths[wide] : 'max-w-2xl',
        ]"
      >
        <DialogTitle class="text-xl">{{ title }}</DialogTitle>
        <p v-if="hint" class="mt-1 text-ink-2">{{ hint }}</p>
        <slot />
      </DialogPanel>
    </div>
  </Dialog>
</template>
