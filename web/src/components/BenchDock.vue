<script setup lang="ts">
import { computed, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import TimerRing from './TimerRing.vue'
import type { BenchState, RunBrief } from '../api/client'
import { useClock } from '../composables/useClock'
import { useKeys, type Keys } from '../composables/useKeys'
import { notify, tone } from '../composables/useTone'
import { countdown, familyWords } from '../composables/words'

/** Runs in progress lie along the bottom edge like devices on a bench. */
const props = defineProps<{ runs: RunBrief[]; sequences?: BenchState['sequences'] }>()
const sequence = (run: string) => props.sequences?.find((s) => s.run === run)
const emit = defineEmits<{ ended: [] }>()
const now = useClock()
const route = useRoute()
const router = useRouter()
const shownRuns = computed(() => props.runs.slice(0, 9))

const more = computed(() => props.runs.length - shownRuns.value.length)

const left = (run: RunBrief) => (run.timer_until ? new Date(run.timer_until).getTime() - now.value : 0)
const ended = computed(() => shownRuns.value.filter((r) => r.timer_until && left(r) <= 0).map((r) => r.id))

let before: string[] | undefined
watch(ended, (list) => {
  for (const id of before ? list.filter((x) => !before?.includes(x)) : []) {
    const run = props.runs.find((r) => r.id === id)
    tone('done')
    if (run) notify(`${run.tag}: ${run.timer_title} is over`, run.title)
    emit('ended')
  }
  before = list
})

const keys: Keys = {}
for (let n = 1; n <= 9; n++) {
  keys[`Alt ${n}`] = () => {
    const run = shownRuns.value[n - 1]
    if (run) router.push({ name: 'run', params: { id: run.id } })
  }
}
useKeys(keys)
</script>

<template>
  <footer class="flex min-h-[72px] overflow-x-auto border-t-2 border-ink bg-paper" aria-label="Runs in progress">
    <RouterLink
      v-for="(run, i) in shownRuns"
      :key="run.id"
      :to="{ name: 'run', params: { id: run.id } }"
      class="flex w-64 min-w-36 items-center gap-3 border-r border-line px-4 py-2 hover:bg-brass-wash"
      :class="[
        route.params.id === run.id && 'bg-sheet shadow-[inset_0_4px_var(--brass)]',
        ended.includes(run.id) && 'bg-petrol-wash',
      ]"
      :data-dock="run.tag"
    >
      <kbd :title="`Alt with ${i + 1}`">{{ i + 1 }}</kbd>
      <TimerRing
        v-if="run.timer_until && run.timer_start"
        :started="run.timer_start"
        :until="run.timer_until"
        :now="now"
        :size="38"
      />
      <span class="min-w-0">
        <span class="block truncate font-semibold"
          ><span class="num">{{ run.tag }}</span> {{ familyWords(run.family) }}</span
        >
        <span class="block truncate text-sm text-ink-2">
          <span v-if="left(run) > 0"
            ><span class="num">{{ countdown(left(run)) }}</span> {{ run.timer_title }}</span
          >
          <span v-else-if="run.timer_until" class="font-semibold text-petrol">{{ run.timer_title }} is over</span>
          <span v-else-if="sequence(run.id)?.running && sequence(run.id)?.move" class="font-semibold text-brass"
            >◐ by hand: {{ sequence(run.id)!.move }}</span
          >
          <span v-else-if="sequence(run.id)?.running" class="font-semibold text-petrol"
            >reads by itself: {{ sequence(run.id)!.now }}</span
          >
          <span v-else-if="sequence(run.id)?.alarm" class="font-semibold text-vermilion"
            >◆ stopped: {{ sequence(run.id)!.why }}</span
          >
          <span v-else>{{ run.now }}</span>
          <span v-if="!run.mine"> · {{ run.by }}</span>
        </span>
      </span>
    </RouterLink>
    <p v-if="!runs.length" class="self-center px-5 text-ink-2">
      No run in progress. Search a device with <kbd>/</kbd>, or start one from Today.
    </p>
    <RouterLink
      v-if="more > 0"
      :to="{ name: 'bench' }"
      class="flex shrink-0 items-center px-4 font-semibold underline hover:bg-brass-wash"
      >and {{ more }} more</RouterLink
    >
  </footer>
</template>
