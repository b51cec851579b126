<script setup lang="ts">
import { computed, ref } from 'vue'
import DialogShell from '../components/DialogShell.vue'
import NeedleMark from '../components/NeedleMark.vue'
import ZoneMark from '../components/ZoneMark.vue'
import PointLedger from './PointLedger.vue'
import { brief, indicated } from '../composables/words'
import type { Run, Step } from '../api/client'

/** The ledger held in the hand: how many points are read, and the last of them; the whole opens from it. */
const props = defineProps<{ run: Run; step: Step }>()
const emit = defineEmits<{ look: [id: string] }>()
const open = ref(false)
const points = computed(() =>
  props.run.measures.flatMap((measure) => measure.points.map((point) => ({ measure, point }))),
)
const read = computed(() => points.value.filter((x) => x.point.found || x.point.omitted || x.point.complete).length)
const last = computed(() =>
  points.value
    .filter((x) => x.point.found && x.point.readings.length)
    .sort((a, b) => a.point.readings.at(-1)!.at.localeCompare(b.point.readings.at(-1)!.at))
    .slice(-2)
    .map(({ measure, point }) => ({ measure, point, shows: (point.left ?? point.found)! })),
)
function look(id: string) {
  open.value = false
  emit('look', id)
}
</script>

<template>
  <section class="border-t border-line bg-sheet" aria-label="Ledger">
    <button class="min-h-11 w-full px-4 py-1 sm:px-6" @click="open = true">
      <span class="mx-auto block h-1 w-14 bg-line" aria-hidden="true"></span>
      <span class="flex min-h-8 items-center justify-between">
        <b>{{ run.measures.length ? 'Points' : 'Ledger' }}</b>
        <span v-if="points.length" class="num text-sm text-ink-2">{{ read }} of {{ points.length }} read</span>
      </span>
      <span
        v-for="(l, i) in last"
        :key="l.measure.id + l.point.id"
        class="grid-cols-[minmax(0,1fr)_minmax(70px,auto)_minmax(70px,auto)_16px_48px] items-center gap-3 border-t border-line py-1 text-right"
        :class="
          i < last.length - 1 ? 'hidden [@media(min-height:68rem)]:grid' : 'hidden [@media(min-height:56rem)]:grid'
        "
      >
        <span class="truncate text-left">{{ l.measure.title }} {{ l.point.label }}</span>
        <span class="num">{{ l.shows.absent ? 'none' : indicated(l.shows.indicated, l.measure.resolution) }}</span>
        <span class="num">{{
          l.shows.window || l.shows.absent ? '' : brief(l.shows.error, l.measure.resolution / 10, true)
        }}</span>
        <ZoneMark :zone="l.shows.zone" :size="14" />
        <NeedleMark :found="l.point.found" :left="l.point.left" :width="44" />
      </span>
    </button>
    <DialogShell v-if="open" title="Points" drawer @close="open = false">
      <PointLedger :run="run" :step="step" @look="look" />
      <button class="btn mt-4" @click="open = false">Close</button>
    </DialogShell>
  </section>
</template>
