<script setup lang="ts">
import { onBeforeUnmount, ref } from 'vue'
import { tone } from '../composables/useTone'

/**
 * A button for what is not taken back: a finger holds it until it is full, so that a glove that brushes it does nothing.
 * A mouse or a key presses it as any other.
 */
const props = defineProps<{ disabled?: boolean }>()
const emit = defineEmits<{ press: [] }>()
/** How long a finger stays on it, in milliseconds. */
const long = 900
const holding = ref(false)
const brushed = ref(false)
let until: ReturnType<typeof setTimeout> | undefined
let touched = false

function down(event: PointerEvent) {
  touched = event.pointerType === 'touch'
  if (!touched || props.disabled) return
  holding.value = true
  brushed.value = false
  until = setTimeout(() => {
    holding.value = false
    tone('taken')
    emit('press')
  }, long)
}
function up() {
  clearTimeout(until)
  brushed.value = holding.value
  holding.value = false
}
/** A finger's click comes after it was lifted: what it had to do is done, or was too short. */
function click() {
  if (touched) touched = false
  else emit('press')
}
onBeforeUnmount(() => clearTimeout(until))
</script>

<template>
  <button
    type="button"
    class="btn relative touch-none overflow-hidden select-none"
    :disabled="disabled"
    @pointerdown="down"
    @pointerup="up"
    @pointercancel="up"
    @pointerleave="up"
    @contextmenu.prevent
    @click="click"
  >
    <span
      class="absolute inset-y-0 left-0 bg-brass/70"
      :class="holding ? 'w-full transition-[width] ease-linear' : 'w-0'"
      :style="{ transitionDuration: `${long}ms` }"
      aria-hidden="true"
    ></span>
    <span class="relative flex items-center gap-2"
      ><slot /><span v-if="holding || brushed" class="text-sm font-normal" role="status">hold it</span></span
    >
  </button>
</template>
