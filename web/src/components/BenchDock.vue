<script setup lang="ts">
import { computed, nextTick, ref, watch } from 'vue'
import { useSwipe } from '@vueuse/core'
import { useRoute, useRouter } from 'vue-router'
import TimerRing from './TimerRing.vue'
import type { BenchState, RunBrief } from '../api/client'
import { useClock } from '../composables/useClock'
import { useKeys, type Keys } from '../composables/useKeys'
import { notify, tone } from '../composables/useTone'
import { countdown, familyWords } from '../composables/words'

/** Runs in progress lie along the bottom edge like devices on a bench; a swipe along them goes to the next. */
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
    tone('timer')
    if (run) notify(`${run.tag}: ${run.timer_title} is over`, run.title)
    emit('ended')
  }
  before = list
})

/** Where one is among the runs: the one on the bench, else the first. */
const at = computed(() =>
  Math.max(
    0,
    shownRuns.value.findIndex((r) => r.id === route.params.id),
  ),
)
function go(by: number) {
  const on = shownRuns.value.some((r) => r.id === route.params.id)
  const run = shownRuns.value[on ? at.value + by : at.value]
  if (run) router.push({ name: 'run', params: { id: run.id } })
}
const dock = ref<HTMLElement>()
useSwipe(dock, {
  threshold: 40,
  onSwipeEnd: (_, direction) => {
    if (direction === 'left') go(1)
    if (direction === 'right') go(-1)
  },
})
watch(
  () => [at.value, shownRuns.value.length],
  async () => {
    await nextTick()
    dock.value?.querySelector('[data-on]')?.scrollIntoView({ block: 'nearest', inline: 'nearest' })
  },
)

/** Runs that read by themselves and wait for a hand, or have stopped; the one on the bench asks for the hand itself. */
const waiting = computed(() =>
  (props.sequences ?? [])
    .filter((s) => (s.running && s.move && s.run !== route.params.id) || s.alarm)
    .map((s) => `${s.run} ${s.move ?? s.why}`),
)
watch(waiting, (list, was) => list.some((w) => !was.includes(w)) && tone('hand'))

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
  <footer
    ref="dock"
    class="flex touch-pan-y overflow-x-auto border-t-2 border-ink bg-paper xl:min-h-[72px]"
    aria-label="Runs in progress"
  >
    <RouterLink
      v-for="(run, i) in shownRuns"
      :key="run.id"
      :to="{ name: 'run', params: { id: run.id } }"
      class="flex min-h-14 w-64 min-w-36 shrink items-center gap-3 border-r border-line px-4 py-2 hover:bg-brass-wash max-xl:min-w-52 max-sm:w-auto max-sm:grow"
      :data-on="i === at || undefined"
      :class="[
        i !== at && 'max-sm:hidden',
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
    <span v-if="shownRuns.length > 1" class="flex shrink-0 items-center border-l border-line sm:hidden">
      <button class="min-h-14 min-w-11 text-2xl" aria-label="The run before" @click="go(-1)">‹</button>
      <span class="num text-sm">{{ at + 1 }}/{{ runs.length }}</span>
      <button class="min-h-14 min-w-11 text-2xl" aria-label="The next run" @click="go(1)">›</button>
    </span>
    <p v-if="!runs.length" class="self-center px-5 text-ink-2 max-xl:hidden">
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
