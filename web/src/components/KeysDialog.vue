<script setup lang="ts">
import DialogShell from './DialogShell.vue'

defineEmits<{ close: [] }>()
const keys = [
  ['/', 'search: tag, serial, place, model'],
  ['Enter', 'take the reading, confirm, go on'],
  ['Backspace', 'withdraw the last reading'],
  ['N', 'note'],
  ['T', 'timer: start it, or cut it short'],
  ['L', 'loose ends'],
  ['[ ]', 'look at the previous or next step'],
  ['Alt 1–9', 'switch to a run in the dock; a digit by itself is always a reading'],
  ['?', 'these keys'],
]
</script>

<template>
  <DialogShell title="Keys" wide="narrow" @close="$emit('close')">
    <dl class="mt-3 grid sm:grid-cols-[110px_1fr] gap-y-2">
      <template v-for="[key, what] in keys" :key="key">
        <dt>
          <kbd>{{ key }}</kbd>
        </dt>
        <dd>{{ what }}</dd>
      </template>
    </dl>
    <p class="mt-3 text-sm text-ink-2">
      A barcode scanner works anywhere, also inside a field: scan a tag or a serial, and its device opens. House learns
      how yours types.
    </p>
    <button class="btn mt-4" @click="$emit('close')">Close <kbd>Esc</kbd></button>
  </DialogShell>
</template>
