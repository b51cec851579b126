<script setup lang="ts">
import HoldButton from '../components/HoldButton.vue'
import { computed, nextTick, onBeforeUnmount, onMounted, ref, watch } from 'vue'
import { useSessionStorage } from '@vueuse/core'
import AskDialog from '../components/AskDialog.vue'
import NeedleMark from '../components/NeedleMark.vue'
import ZoneMark from '../components/ZoneMark.vue'
import GrossGate from './GrossGate.vue'
import HandPrompt from './HandPrompt.vue'
import { goesOn, showsFacts, widgetOf } from './widgets'
import StageWork from './StageWork.vue'
import SequenceBar from './SequenceBar.vue'
import StandInPanel from './StandInPanel.vue'
import ThumbBar from './ThumbBar.vue'
import StepHead from './StepHead.vue'
import { useRunHandle } from './runHandle'
import { pointKey, type Ahead } from '../offline/ahead'
import { useBenchState } from '../composables/useBenchState'
import { realTime } from '../composables/useClock'
import { stepped, useKeys } from '../composables/useKeys'
import { useHold } from '../composables/useHold'
import { useLivePoint } from '../composables/useLivePoint'
import { useSession } from '../composables/useSession'
import { tone } from '../composables/useTone'
import { brief, localDay, localTime, shown, significant, windowWords } from '../composables/words'
import { api, type Measure, type Point, type Run } from '../api/client'

/** One point being read: what is expected, the live trace, the entry, the needle. */
const props = defineProps<{ run: Run & { ahead?: Ahead }; measure: Measure; point: Point; phase: string }>()
const { send, sending, problem, clear } = useRunHandle()
const typed = ref('')
const omitting = ref(false)
const field = ref<HTMLInputElement>()
const m = computed(() => props.measure)
const gate = computed(() => props.point.gross_open && !props.point.set_up_seen)
/** By hand a point is a stage: where nothing is linked, where one is under way, or where that was asked for in this run. */
const byHandIn = useSessionStorage('by-hand-in', '')
const byHand = computed({
  get: () => byHandIn.value === props.run.id,
  set: (on) => (byHandIn.value = on ? props.run.id : ''),
})
const staged = computed(() => !!m.value.stage && (!m.value.link || !!props.point.stage?.started || byHand.value))
const spot = computed(() =>
  m.value.capture && props.point.expected && !gate.value && !props.point.move && !staged.value
    ? { run: props.run.id, measure: m.value.id, point: props.point.id }
    : undefined,
)
const { frame, traces, trouble, age, stale } = useLivePoint(spot, () => goesOn(m.value.capture?.kind))
const { can } = useSession()
const { trouble: unset, takeOver } = useHold(spot, frame, () => can('work runs'))
const expected = computed(() => props.point.expected)
const limit = computed(() => {
  const e = expected.value
  if (!e) return undefined
  if (e.high !== undefined && e.low !== undefined) return (e.high - e.low) / 2
  return e.high !== undefined ? e.high - e.reference : e.low !== undefined ? e.reference - e.low : undefined
})
/** The limits in words: both sides, or the only one. */
const limitWords = computed(() => {
  const e = expected.value
  if (!e || limit.value === undefined) return ''
  if (e.window) return windowWords(e, m.value.resolution)
  const sign = e.low === undefined ? '+' : e.high === undefined ? '−' : '±'
  return ` ${sign} ${brief(limit.value, m.value.resolution)}`
})
const fine = computed(() => m.value.resolution / 10)
const taken = computed(() => props.point.readings.filter((r) => !r.withdrawn && r.round === m.value.round))
/** Which reading of the point this is, with those that wait to be sent. */
const nth = computed(
  () => taken.value.length + (props.run.ahead?.[pointKey(m.value.id, props.point.id)]?.length ?? 0) + 1,
)
const alive = computed(() => frame.value?.status.state === 'alive' && !frame.value.held)
/** The frame on the screen, where its reading can be taken. */
const takeable = computed(() => (alive.value && !stale.value ? frame.value?.id : undefined))
const steady = computed(() => !!takeable.value && !!frame.value?.steady)

/** What is said of too short a time, as a sentence. */
const longer = (words: string) => words.charAt(0).toUpperCase() + words.slice(1) + '.'

/** The point read just before this one, so that its verdict stays in sight. */
const before = computed(() => {
  const all = props.run.measures.flatMap((x) => x.points.map((p) => ({ measure: x, point: p })))
  const read = all.filter((x) => x.point.found && x.point.readings.length)
  const at = (x: (typeof read)[number]) => x.point.readings[x.point.readings.length - 1]!.at
  return read.sort((a, b) => at(a).localeCompare(at(b))).pop()
})
const verdict = computed(() => before.value?.point.left ?? before.value?.point.found)

/** Where the needle would stand for what is on the link or typed now. */
const preview = computed(() => {
  const e = expected.value
  const value = typed.value ? Number(typed.value.replace(',', '.')) : frame.value?.value
  if (!e || !limit.value || value === undefined || !Number.isFinite(value)) return undefined
  // Where the reference is read, the error is what was set less the reading.
  const lean = ((e.set === undefined || e.measured ? 1 : -1) * (value - e.reference)) / limit.value
  const fan = e.u / limit.value
  return {
    error_to_limit: lean,
    u_to_limit: fan,
    zone: Math.abs(lean) <= 1 ? ('inside' as const) : ('outside' as const),
  }
})

const about = computed(() => props.run.findings.find((f) => f.id === m.value.finding)?.about)
const reads = computed(() =>
  expected.value?.measured || about.value
    ? 'Instrument shows'
    : expected.value?.set === undefined
      ? 'Device shows'
      : 'Reference reads',
)
const widget = computed(() => widgetOf(m.value.capture?.kind))

/** Hands free: a reading that has stood for a moment is taken by itself, unless something was typed. */
const handsFree = computed(() => m.value.capture?.hands === 'free')
const { data: bench } = useBenchState()
const byItself = computed(() => bench.value?.sequences.some((s) => s.running && s.run === props.run.id))
let standing: ReturnType<typeof setTimeout> | undefined
watch(
  () => handsFree.value && !byItself.value && steady.value && !typed.value && !problem.value && !sending.value,
  (ready) => {
    clearTimeout(standing)
    if (ready) standing = setTimeout(() => steady.value && !typed.value && takeByItself(), realTime(1200))
  },
)
/** What was steady on the screen may not be any more at the instrument: nobody stands there to press again. */
async function takeByItself() {
  await take()
  if (['no-reading', 'not-steady', 'frame-gone', 'frame-used', 'settings'].includes(problem.value?.code ?? '')) clear()
}
onBeforeUnmount(() => clearTimeout(standing))

const moved = () => send({ kind: 'moved', measure: m.value.id, point: props.point.id })
async function take() {
  const order = { kind: 'capture' as const, measure: m.value.id, point: props.point.id }
  if (sending.value) {
    early.value = true
    return
  }
  const text = typed.value
  const frame = text.trim() ? undefined : takeable.value
  if (!text.trim() && props.point.move && m.value.link) {
    await moved()
    return
  }
  if (!text.trim() && !frame && m.value.capture) {
    nothing.value = true
    return
  }
  const ok = await send(frame ? { ...order, frame } : { ...order, typed: text })
  if (ok) {
    tone('taken')
    if (typed.value === text) typed.value = '' // what was typed meanwhile stays
  }
  await nextTick()
  field.value?.focus()
}
/** What is waited for did not come: that is a finding, and no reading. */
const noneCame = () => send({ kind: 'capture', measure: m.value.id, point: props.point.id, absent: true })
/** Enter was pressed while the entry before was still under way. */
const early = ref(false)
watch(sending, () => (early.value = false))
/** Enter was pressed, and there was nothing to take. */
const nothing = ref(false)
watch([typed, takeable], () => (nothing.value = false))
/** Taking an instrument from someone is done in two steps. */
const taking = ref(false)
function overtake() {
  taking.value = false
  takeOver()
}
function dismiss() {
  const body = { frame: frame.value?.id ?? '' }
  api.POST('/api/runs/{id}/dismiss', { params: { path: { id: props.run.id } }, body })
}

function omit(reason: string) {
  omitting.value = false
  send({ kind: 'omit', measure: m.value.id, point: props.point.id, reason })
}
onMounted(() => {
  stepped()
  field.value?.focus()
})
watch(gate, async () => {
  await nextTick()
  field.value?.focus()
})
useKeys({ Enter: () => !staged.value && take() })
</script>

<template>
  <StepHead
    :title="`${measure.title} ${phase}: ${point.label}`"
    :do="measure.do || point.do"
    :caution="measure.caution"
  />
  <p v-if="measure.do && point.do" class="mt-2 text-[1.0625rem] font-semibold">{{ point.do }}</p>
  <p v-if="point.missing" class="mt-3 border-l-4 border-brass bg-brass-wash px-3 py-2">
    Not ready: {{ point.missing }}.
  </p>
  <GrossGate v-if="gate" :measure="measure" :point="point" />
  <template v-else>
    <HandPrompt v-if="point.move && measure.link && !staged" :move="point.move" @moved="moved" />
    <div v-else-if="measure.capture && !staged" class="mt-3 border border-line bg-sheet">
      <div class="flex flex-wrap items-baseline gap-x-4 px-3 pt-2 text-sm text-ink-2">
        <span :class="frame && (!alive || stale) ? 'font-semibold text-vermilion' : ''" role="status">
          {{ trouble || (frame?.held ? frame.why + '.' : frame?.status.words) || 'Connecting to the instrument …' }}
        </span>
        <span v-for="f in showsFacts(measure.capture.kind) ? [] : frame?.facts" :key="f.label"
          >{{ f.label }} <span class="num">{{ f.text }}</span></span
        >
        <span v-if="expected" class="ml-auto text-petrol">
          <template v-if="!expected.window"
            >expected <span class="num">{{ shown(expected.reference, measure.resolution) }}</span></template
          >
          <template v-else>limit&nbsp;</template>
          <span class="num">{{ limitWords }}</span> {{ measure.reads }}
        </span>
      </div>
      <component
        :is="widget"
        v-if="!frame?.held"
        :traces="traces"
        :frame="frame"
        :measure="measure"
        :point="point"
        :label="`live ${measure.title}`"
      />
    </div>
    <div v-if="frame?.held" class="mt-3 border-l-4 border-brass bg-brass-wash px-3 py-2" role="alert">
      <p>
        <b>{{ frame.name }}</b> serves <b>{{ frame.held.device }}</b>: {{ frame.held.name }} holds it since
        <span class="num">{{ localTime(frame.held.since) }}</span>. What it shows is not of your device; type what your
        device shows, or take the instrument over.
      </p>
      <button v-if="!taking" class="btn mt-2" @click="taking = true">Take it over …</button>
      <p v-else class="mt-2 flex flex-wrap items-center gap-3">
        <span>{{ frame.held.name }} is told, and reads nothing more with it. It is then set for this point.</span>
        <HoldButton class="btn-main" @press="overtake">Take it over from {{ frame.held.name }}</HoldButton>
        <button class="btn btn-quiet" @click="taking = false">Leave it</button>
      </p>
    </div>
    <p v-if="unset" class="mt-3 border-l-4 border-vermilion bg-vermilion-wash px-3 py-2" role="alert">{{ unset }}</p>
    <p v-if="frame?.by_hand.length" class="mt-3 border-l-4 border-brass bg-brass-wash px-3 py-2">
      Set by hand, then read: <b>{{ frame.by_hand.join(', ') }}</b>. {{ frame.name }} cannot be told, and says nothing
      of it.
    </p>
    <p v-if="staged && expected" class="mt-3">
      Set on the pump: <b class="num">{{ shown(expected.set ?? expected.reference, measure.resolution) }}</b>
      {{ measure.shown }}, for <b class="num">{{ point.with?.minutes ?? 60 }}</b> min.
    </p>
    <StageWork v-if="staged" :measure="measure" :point="point" :phase="phase">
      <slot />
      <template #more>
        <button class="btn btn-quiet" @click="omitting = true">Leave this point out …</button>
        <button v-if="byHand && !point.stage?.started" class="btn btn-quiet" @click="byHand = false">
          Read it over the link
        </button>
      </template>
    </StageWork>
    <div
      v-else
      class="mt-3 grid grid-cols-2 border-2 border-ink bg-sheet md:grid-cols-[minmax(0,1fr)_minmax(0,1.2fr)_150px]"
    >
      <div class="min-w-0 border-r border-line px-3 py-2 sm:px-4">
        <span class="label">{{
          expected?.window ? 'Limit' : expected?.set === undefined ? 'Reference' : 'Device is set to'
        }}</span>
        <span v-if="expected?.window" class="num text-[1.875rem] leading-[1.75]">{{
          windowWords(expected, measure.resolution)
        }}</span>
        <span v-else class="num text-[2.625rem] md:max-xl:text-[3.25rem] leading-tight">{{
          expected ? shown(expected.set ?? expected.reference, measure.resolution) : '–'
        }}</span>
        <span class="ml-1 whitespace-nowrap text-ink-2">{{
          expected?.set === undefined ? measure.reads : measure.shown
        }}</span>
      </div>
      <label
        class="min-w-0 border-line bg-brass-wash px-3 py-2 sm:px-4 md:border-r"
        :class="stale && !typed && 'hatched'"
      >
        <span class="label"
          >{{ reads }} <template v-if="measure.repeats > 1">· {{ nth }} of {{ measure.repeats }}</template></span
        >
        <span class="flex items-baseline" data-keys>
          <input
            ref="field"
            v-model="typed"
            data-first
            name="reading"
            inputmode="decimal"
            autocomplete="off"
            class="num w-full min-w-0 bg-transparent text-[2.625rem] md:max-xl:text-[3.25rem] leading-tight placeholder:text-ink-2/70 focus-visible:outline-none"
            :class="steady && 'placeholder:text-petrol'"
            :placeholder="frame?.value !== undefined ? shown(frame.value, measure.resolution) : ''"
            :aria-label="`${reads}, ${measure.title} ${point.label}`"
            :aria-invalid="problem?.field === 'typed'"
            @keydown.enter.prevent="take"
          />
          <span class="shrink-0 whitespace-nowrap text-ink-2">{{ measure.reads }}</span>
        </span>
      </label>
      <div class="grid place-items-center max-md:col-span-2 max-md:border-t max-md:border-line">
        <NeedleMark
          :found="phase === 'as found' ? preview : point.found"
          :left="phase === 'as found' ? undefined : preview"
          :width="120"
          label="preview of the needle"
        />
      </div>
    </div>
    <template v-if="!staged">
      <p class="mt-2 min-h-6 text-[0.9375rem]" aria-live="polite">
        <template v-if="typed && !sending">Typed by hand; <kbd>Enter</kbd> records it.</template>
        <template v-else-if="frame && alive && stale">
          <span class="font-semibold text-vermilion"
            >◇ The value is <span class="num">{{ Math.round(age) }}</span> s old: it cannot be taken.</span
          >
          What your device shows can be typed.
        </template>
        <template v-else-if="frame && alive">
          <span :class="frame.steady ? 'font-semibold text-petrol' : 'text-ink-2'"
            >{{ frame.steady ? '● Steady: ' : '○ ' }}{{ frame.why }}.</span
          >
          <template v-if="frame.steady">
            <template v-if="frame.key">
              <kbd class="ml-1">Enter</kbd> takes it.
              <button class="btn btn-small" @click="dismiss">Set it aside</button></template
            ><template v-else-if="handsFree"> It is taken by itself.</template
            ><template v-else> <kbd class="ml-1">Enter</kbd> takes it.</template>
          </template>
          <span v-else-if="frame.final !== undefined && frame.settles !== undefined" class="text-ink-2">
            Going to about <span class="num">{{ shown(frame.final, measure.resolution) }}</span>, there in
            <span class="num">{{ Math.ceil(frame.settles) }}</span> s: an estimate.
          </span>
        </template>
        <template v-else-if="measure.capture && !point.move"
          >The reading can be typed from the device’s display.</template
        >
        <b v-if="early"> The entry before is still under way: Enter again once it is recorded.</b>
        <b v-else-if="nothing"> There is no reading to take now: wait for it, or type what the device shows.</b>
      </p>
      <slot />
      <ThumbBar class="mt-2">
        <button
          v-if="!point.move || !measure.link || typed"
          class="btn btn-main"
          :disabled="sending || !!point.missing"
          @click="take"
        >
          Take reading <kbd>Enter</kbd>
        </button>
        <button v-if="measure.absent && !frame" class="btn" :disabled="sending" @click="noneCame">
          None: {{ measure.absent }}
        </button>
        <button v-if="measure.stage" class="btn btn-quiet" @click="byHand = true">Weigh by hand</button>
        <button class="btn btn-quiet" @click="omitting = true">Leave this point out …</button>
      </ThumbBar>
    </template>
    <p v-if="verdict && before" class="mt-3 flex max-w-[72ch] items-start gap-2 text-[0.9375rem]">
      <ZoneMark :zone="verdict.zone" :size="18" class="mt-0.5 shrink-0" />
      <span
        ><b>{{ before.measure.title }} {{ before.point.label }}:</b> {{ verdict.sentence }}
        <template v-if="verdict.warning">{{ verdict.warning }}.</template>
        <template v-if="verdict.longer"> {{ longer(verdict.longer) }}</template></span
      >
    </p>
    <p v-if="point.earlier" class="mt-2 text-[0.9375rem]">
      This device on {{ localDay(point.earlier.at) }}:
      <b class="num">{{ shown(point.earlier.value, measure.resolution) }}</b> {{ measure.reads }}. A jump from that is a
      finding, also inside the limit.
    </p>
    <p v-if="expected" class="mt-2 text-sm text-ink-2">
      {{ expected.formula }} · U about <span class="num">{{ significant(expected.u, 2) }}</span>
      <template v-if="expected.tur"
        >, tolerance ÷ U (TUR) <span class="num">{{ significant(expected.tur, 2) }}</span></template
      >
      · display step <span class="num">{{ fine * 10 }}</span>
    </p>
    <p v-if="expected?.longer" class="mt-1 font-semibold">◐ {{ longer(expected.longer) }}</p>
  </template>
  <SequenceBar v-if="handsFree && !staged" :run="run" />
  <StandInPanel v-if="measure.link" :instrument="measure.link" :entries="measure.points" />
  <AskDialog
    v-if="omitting"
    :title="`Leave out ${measure.title} ${point.label}`"
    hint="The certificate will say so, and no statement of conformity covers it."
    label="Why"
    action="Leave it out"
    @done="omit"
    @close="omitting = false"
  />
</template>
