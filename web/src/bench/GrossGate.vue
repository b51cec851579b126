<script setup lang="ts">
import ThumbBar from './ThumbBar.vue'
import ZoneMark from '../components/ZoneMark.vue'
import { useRunHandle } from './runHandle'
import { useDraft } from './draft'
import type { Measure, Point } from '../api/client'

/** A reading far out: the set-up is looked at, and the point repeated, before anything is adjusted. */
const props = defineProps<{ measure: Measure; point: Point }>()
const { send, sending } = useRunHandle()
const { draft, drop } = useDraft(`gross ${props.measure.id} ${props.point.id}`, () => ({ note: '' }))
async function looked() {
  const order = { measure: props.measure.id, point: props.point.id, note: draft.value.note }
  if (await send({ kind: 'check-set-up', ...order })) drop()
}
</script>

<template>
  <form id="set-up" class="mt-4 border-2 border-vermilion bg-sheet p-4" @submit.prevent="looked">
    <h3 class="flex items-center gap-2 text-xl">
      <ZoneMark zone="outside" :size="20" /> Far out: look at the set-up first
    </h3>
    <p class="mt-1">{{ (point.left ?? point.found)?.sentence }}</p>
    <p class="mt-1">
      An error this large is rarely the device’s own. Nothing is adjusted before the point was repeated.
    </p>
    <ul v-if="measure.set_up?.length" class="mt-2 list-inside list-[square]">
      <li v-for="s in measure.set_up" :key="s">{{ s }}</li>
    </ul>
    <label class="mt-3 block">
      <span class="label">What you looked at, and what you found</span>
      <input v-model="draft.note" name="set-up" class="field" data-first />
    </label>
    <slot />
    <ThumbBar class="mt-3">
      <button class="btn btn-main" form="set-up" :disabled="sending">Looked; repeat the point <kbd>Enter</kbd></button>
    </ThumbBar>
  </form>
</template>
