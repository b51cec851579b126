<script setup lang="ts">
import { computed, ref } from 'vue'
import DialogShell from '../components/DialogShell.vue'
import WayRail from './WayRail.vue'
import type { Run } from '../api/client'

/** The way held in the hand: the step one is at, a tick for each, its neighbours; the whole way opens from it. */
const props = defineProps<{ run: Run; at: string }>()
const emit = defineEmits<{ look: [id: string] }>()
const open = ref(false)
const index = computed(() => props.run.steps.findIndex((s) => s.id === props.at))
const neighbour = (by: number) => props.run.steps[index.value + by]
function look(id: string | undefined) {
  open.value = false
  if (id) emit('look', id)
}
</script>

<template>
  <div class="grid grid-cols-[56px_minmax(0,1fr)_56px] border-b border-line" aria-label="Way" role="group">
    <button
      class="min-h-14 text-2xl disabled:text-line"
      aria-label="Previous step"
      :disabled="!neighbour(-1)"
      @click="look(neighbour(-1)?.id)"
    >
      ‹
    </button>
    <button class="min-h-14 min-w-0 py-1.5 text-center" aria-label="The whole way" @click="open = true">
      <span class="block truncate"
        ><span class="num text-ink-2">{{ run.device.tag }}</span> ·
        <b>{{ run.steps[index]?.title }}</b>
        <span class="num ml-2 text-sm text-ink-2">{{ index + 1 }} of {{ run.steps.length }}</span></span
      >
      <span class="mt-1 flex justify-center gap-[3px]" aria-hidden="true">
        <i
          v-for="(s, i) in run.steps"
          :key="s.id"
          class="block h-[7px] max-w-6 min-w-0 border"
          :class="[
            i === index ? 'max-w-9 grow-2' : 'grow',
            s.skipped
              ? 'hatched border-ink-2'
              : s.answer === 'not fine'
                ? 'border-vermilion bg-vermilion'
                : s.done
                  ? 'border-ink bg-ink'
                  : s.id === run.current
                    ? 'border-brass bg-brass'
                    : 'border-ink-2',
            i === index && 'outline-2 outline-brass',
          ]"
        ></i>
      </span>
    </button>
    <button
      class="min-h-14 text-2xl disabled:text-line"
      aria-label="Next step"
      :disabled="!neighbour(1)"
      @click="look(neighbour(1)?.id)"
    >
      ›
    </button>
    <DialogShell v-if="open" title="The way" side wide="narrow" @close="open = false">
      <WayRail :run="run" :at="at" @look="look" />
      <button class="btn mt-2" @click="open = false">Close</button>
    </DialogShell>
  </div>
</template>
