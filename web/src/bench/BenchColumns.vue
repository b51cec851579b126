<script setup lang="ts">
import { computed, onBeforeUnmount, onMounted, ref, watch } from 'vue'
import { useWakeLock } from '@vueuse/core'
import AskDialog from '../components/AskDialog.vue'
import StateMark from '../components/StateMark.vue'
import WayRail from './WayRail.vue'
import WayStrip from './WayStrip.vue'
import PointLedger from './PointLedger.vue'
import LedgerDrawer from './LedgerDrawer.vue'
import ChangedPart from './ChangedPart.vue'
import ProblemNote from './ProblemNote.vue'
import BringStep from './BringStep.vue'
import CautionsStep from './CautionsStep.vue'
import CheckStep from './CheckStep.vue'
import ActStep from './ActStep.vue'
import WaitStep from './WaitStep.vue'
import AmbientStep from './AmbientStep.vue'
import PlateStep from './PlateStep.vue'
import MeasureStep from './MeasureStep.vue'
import FindingStep from './FindingStep.vue'
import SignStep from './SignStep.vue'
import FailedSoFar from './FailedSoFar.vue'
import EndedRun from './EndedRun.vue'
import { canBeDoneAhead, lastReading } from './reading'
import { useRunHandle } from './runHandle'
import { useClock } from '../composables/useClock'
import { useDesk } from '../composables/useDesk'
import { missing } from '../offline/secure'
import { useStepFocus } from '../composables/useStepFocus'
import { useRelease } from '../composables/useHold'
import { useKeys } from '../composables/useKeys'
import type { Run } from '../api/client'

/**
 * A run on the bench: the way, the work, the ledger. On a desk they stand side by side; in the hand the work is whole,
 * with the way as a strip above it, the ledger as a drawer below it, and what is done next under the thumb.
 */
const props = defineProps<{ run: Run }>()
const { send, clear, refused, query, own } = useRunHandle()
const now = useClock()
const desk = useDesk()
const looking = ref<string>()
const asking = ref<'note' | 'withdraw' | 'cut' | 'early' | 'loose'>()

const steps = {
  bring: BringStep,
  cautions: CautionsStep,
  check: CheckStep,
  act: ActStep,
  wait: WaitStep,
  ambient: AmbientStep,
  record: PlateStep,
  measure: MeasureStep,
  finding: FindingStep,
  sign: SignStep,
} as const

const ended = computed(() => props.run.status !== 'open')
const index = computed(() => props.run.steps.findIndex((s) => s.id === (looking.value ?? props.run.current)))
const step = computed(() => props.run.steps[index.value] ?? props.run.steps[props.run.steps.length - 1]!)
/** What is on the bench is read over a link: a measure, or a finding whose points are read again. */
const linked = computed(() => {
  const judged = props.run.findings.find((f) => f.id === step.value.id)?.judges ?? [step.value.id]
  return !ended.value && props.run.measures.some((m) => judged.includes(m.id) && !!m.capture && m.reading)
})
useRelease(
  () => props.run,
  () => linked.value,
)
const runningWait = computed(() => props.run.steps.find((s) => s.kind === 'wait' && s.timer && !s.timer.over))

let lookedAt = 0
function look(id: string | undefined) {
  clear()
  lookedAt = performance.now()
  looking.value = id === props.run.current ? undefined : id
}
function move(by: number) {
  const next = props.run.steps[index.value + by]
  if (next) look(next.id)
}

// A step that was done here leads on: to the next one that can be done while a timer runs, else to the current one. What
// another recorded meanwhile leaves what is looked at, and typed, where it is; so does what was given before one looked there.
let ledOn = 0
watch(
  () => [props.run.seq, own.value] as const,
  ([seq, mine]) => {
    if (mine.seq === ledOn || seq < mine.seq) return
    ledOn = mine.seq
    if (mine.given < lookedAt) return
    const at = props.run.steps.find((s) => s.id === looking.value)
    if (!at?.done) return
    const ahead = runningWait.value && props.run.steps.find((s) => !s.done && canBeDoneAhead(s.kind) && before(s.id))
    looking.value = ahead ? ahead.id : undefined
  },
)
function before(id: string) {
  const act = props.run.steps.findIndex((s) => !s.done && (s.kind === 'act' || s.kind === 'measure'))
  return props.run.steps.findIndex((s) => s.id === id) < act
}

// A timer that runs out changes what can be done: ask for the run again.
const ends = computed(() => (runningWait.value?.timer ? new Date(runningWait.value.timer.until).getTime() : 0))
watch(
  () => ends.value > 0 && now.value > ends.value + 200,
  (over) => over && query.refetch(),
)

function timerKey() {
  const wait = runningWait.value
  if (wait) asking.value = 'cut'
  else if (step.value.kind === 'wait' && !step.value.timer) send({ kind: 'start-wait', step: step.value.id })
}
async function answered(text: string) {
  const kind = asking.value
  asking.value = undefined
  if (kind === 'note') await send({ kind: 'note', note: text })
  if (kind === 'loose') await send({ kind: 'open-loose-end', what: text })
  if (kind === 'cut' && runningWait.value) await send({ kind: 'cut-wait', step: runningWait.value.id, reason: text })
  if (kind === 'withdraw') {
    const last = lastReading(props.run)
    if (last) await send({ kind: 'withdraw', reading: last.id, reason: text })
  }
  if (kind === 'early' && refused.value) await send({ ...refused.value, reason: text })
}
/** The screen stays awake while the run is open and on it. */
const awake = useWakeLock()
onMounted(() => !ended.value && awake.request('screen').catch(() => {})) // a battery that is low refuses
onBeforeUnmount(() => awake.release())
watch(ended, (is) => is && awake.release())
const last = computed(() => lastReading(props.run))
const work = ref<HTMLElement>()
useStepFocus(
  work,
  () => `${props.run.id} ${step.value.id}`,
  () => asking.value,
)
useKeys({
  n: () => !ended.value && (asking.value = 'note'),
  t: timerKey,
  Backspace: () => last.value && (asking.value = 'withdraw'),
  '[': () => move(-1),
  ']': () => move(1),
})
</script>

<template>
  <main
    class="grid h-full"
    :class="
      desk
        ? 'grid-cols-[270px_minmax(0,1fr)_360px]'
        : 'grid-rows-[auto_minmax(0,1fr)_auto_auto] grid-cols-[minmax(0,1fr)]'
    "
  >
    <WayRail v-if="desk" :run="run" :at="step.id" @look="look" />
    <WayStrip v-else :run="run" :at="step.id" @look="look" />
    <section
      ref="work"
      class="relative flex min-h-0 min-w-0 flex-col overflow-auto px-4 py-4 sm:px-6 xl:px-7 xl:py-5"
      aria-label="Work"
    >
      <p
        v-if="!ended && run.stands && (run.stands.stop || run.stands.state === 'in doubt')"
        class="mb-3 border-l-4 border-vermilion bg-vermilion-wash px-3 py-1.5 text-sm"
      >
        <StateMark :stands="run.stands" why />
      </p>
      <FailedSoFar v-if="!ended" :run="run" :step="step" @look="look" />
      <EndedRun v-if="ended" :run="run" />
      <component
        :is="steps[step.kind as keyof typeof steps]"
        v-else
        :key="step.id"
        :run="run"
        :step="step"
        @look="look"
        @withdraw="asking = 'withdraw'"
        @cut="asking = 'cut'"
      >
        <ProblemNote @early="asking = 'early'" />
      </component>
      <p v-if="!ended && !desk && missing('awake')" class="mt-4 text-sm text-ink-2">◇ {{ missing('awake') }}</p>
      <div v-if="!ended" class="mt-auto flex flex-wrap items-center gap-1 pt-4 text-sm text-ink-2">
        <button class="btn btn-quiet" @click="asking = 'note'">Note <kbd>N</kbd></button>
        <button v-if="last" class="btn btn-quiet" @click="asking = 'withdraw'">Withdraw last <kbd>⌫</kbd></button>
        <button class="btn btn-quiet" @click="asking = 'loose'">Something stays open</button>
        <ChangedPart :run="run" />
        <span v-if="desk" class="ml-auto">
          <button class="btn btn-quiet" :disabled="index <= 0" aria-label="Previous step" @click="move(-1)">
            <kbd>[</kbd>
          </button>
          <button
            class="btn btn-quiet"
            :disabled="index >= run.steps.length - 1"
            aria-label="Next step"
            @click="move(1)"
          >
            <kbd>]</kbd>
          </button>
        </span>
      </div>
    </section>
    <PointLedger
      v-if="desk"
      class="relative min-h-0 overflow-auto border-l border-line bg-sheet px-4 py-4"
      :run="run"
      :step="step"
      @look="look"
    />
    <LedgerDrawer v-else-if="!ended" :run="run" :step="step" @look="look" />
    <div v-show="!desk" id="thumb"></div>

    <AskDialog
      v-if="asking === 'note'"
      title="Note"
      label="It goes into the record"
      action="Add it"
      @done="answered"
      @close="asking = undefined"
    />
    <AskDialog
      v-if="asking === 'loose'"
      title="Something stays open"
      hint="It stays in sight until it is closed; the run cannot be signed with it."
      label="What was left open"
      action="Keep it in sight"
      :suggestions="['Alarms silenced', 'Cover off', 'Tube disconnected']"
      @done="answered"
      @close="asking = undefined"
    />
    <AskDialog
      v-if="asking === 'withdraw' && last"
      grave
      :title="`Withdraw ${last.measure.title} ${last.point.label}`"
      hint="The reading stays visible in the record, with this reason."
      label="Why"
      action="Withdraw it"
      :suggestions="['Mistyped', 'The device had not settled', 'The set-up was wrong']"
      @done="answered"
      @close="asking = undefined"
    />
    <AskDialog
      v-if="asking === 'cut' && runningWait"
      :title="`Cut ${runningWait.title} short`"
      :hint="`It is there because ${runningWait.why}. The readings will be marked, and the certificate will say so.`"
      label="Why it is cut short"
      action="Cut it short"
      :suggestions="['The device was warm already']"
      @done="answered"
      @close="asking = undefined"
    />
    <AskDialog
      v-if="asking === 'early'"
      title="Take it although it is not steady"
      hint="The reading will be marked."
      label="Why it is taken now"
      action="Take it"
      @done="answered"
      @close="asking = undefined"
    />
  </main>
</template>
