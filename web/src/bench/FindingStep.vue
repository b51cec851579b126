<script setup lang="ts">
import HoldButton from '../components/HoldButton.vue'
import { computed, ref } from 'vue'
import ErrorComponents from '../components/ErrorComponents.vue'
import AskDialog from '../components/AskDialog.vue'
import DialogShell from '../components/DialogShell.vue'
import ThumbBar from './ThumbBar.vue'
import StepHead from './StepHead.vue'
import SkipStep from './SkipStep.vue'
import AdjustWork from './AdjustWork.vue'
import SpanWork from './SpanWork.vue'
import LookWork from './LookWork.vue'
import VoidAsFound from './VoidAsFound.vue'
import VoidedNote from './VoidedNote.vue'
import ReadingWork from './ReadingWork.vue'
import FindingPoints from './FindingPoints.vue'
import FindingTrends from './FindingTrends.vue'
import TakeBack from './TakeBack.vue'
import { openSpot } from './reading'
import { useRunHandle } from './runHandle'
import { useKeys } from '../composables/useKeys'
import { shapeWords } from '../composables/words'
import type { Command, Run, Step } from '../api/client'

/** Judging: close as found, see the advice, decide; then adjust and read as left until it holds. */
const props = defineProps<{ run: Run; step: Step }>()
defineEmits<{ withdraw: []; look: [id: string]; cut: [] }>()
const { send, sending } = useRunHandle()
const finding = computed(() => props.run.findings.find((f) => f.id === props.step.id)!)
const spot = computed(() =>
  finding.value.adjusting && finding.value.adjusted ? openSpot(props.run, finding.value) : undefined,
)
const overruling = ref<NonNullable<Command['decision']>>()
/** Taking a device out of use opens a second question, even when it was advised. */
const withdrawing = ref(false)
const notYet = ref<HTMLButtonElement | null>(null)
type Decision = NonNullable<Command['decision']>
const decisions: { id: Decision; words: string }[] = [
  { id: 'leave', words: 'Leave as it is' },
  { id: 'adjust', words: 'Adjust' },
  { id: 'investigate', words: 'Look for the cause' },
  { id: 'withdraw', words: 'Take out of use' },
]
const advised = computed(() => finding.value.advice?.decision as Decision | undefined)
const unit = computed(() => props.run.measures.find((m) => m.id === finding.value.judges[0])?.shown)
const judging = computed(() => finding.value.closed > 0 && !finding.value.adjusting && !finding.value.done)
const outside = computed(() =>
  props.run.measures.some((m) => m.finding === props.step.id && m.points.some((p) => p.found && !p.found.pass)),
)
const phase = computed(() => (finding.value.closed > 1 ? `as left, round ${finding.value.closed - 1}` : 'as found'))

const close = () => finding.value.can_close && send({ kind: 'close-phase', finding: finding.value.id })
function decide(decision: Decision) {
  if (decision !== advised.value) overruling.value = decision
  else if (decision === 'withdraw') withdrawing.value = true
  else send({ kind: 'decide', finding: finding.value.id, decision })
}
function takeOutOfUse() {
  withdrawing.value = false
  send({ kind: 'decide', finding: finding.value.id, decision: 'withdraw' })
}
function overrule(reason: string) {
  const decision = overruling.value
  overruling.value = undefined
  if (decision) send({ kind: 'decide', finding: finding.value.id, decision, reason })
}
useKeys({
  Enter: () => {
    if (judging.value && advised.value) decide(advised.value)
    else if (!spot.value && finding.value.can_close) close()
  },
})
</script>

<template>
  <div class="flex grow flex-col">
    <template v-if="finding.closed === 0">
      <StepHead
        :title="step.title"
        do="When every point is read, close as found. From then on it does not change, and the finding is worked out."
      />
      <VoidedNote :finding="finding" />
      <FindingPoints :run="run" :finding="finding" />
      <slot />
      <ThumbBar class="mt-4">
        <button class="btn btn-main" :disabled="!finding.can_close || sending" @click="close">
          Close as found <kbd>Enter</kbd>
        </button>
        <SkipStep :step="step" />
      </ThumbBar>
      <p v-if="!finding.can_close" class="mt-2 text-ink-2">Some points are still to be read.</p>
    </template>

    <template v-else-if="judging && finding.advice">
      <StepHead :title="`${step.title}: ${phase}`" />
      <VoidedNote :finding="finding" />
      <div v-if="finding.seen" class="mt-3 border-2 border-ink bg-sheet px-4 py-3">
        <p class="text-[1.0625rem] font-semibold">{{ finding.seen.words }}</p>
        <ul v-if="finding.seen.lines?.length" class="rows mt-2">
          <li v-for="line in finding.seen.lines" :key="line" class="py-1">{{ line }}</li>
        </ul>
      </div>
      <div class="mt-3 border-l-4 border-brass bg-brass-wash px-4 py-3">
        <p class="text-lg font-semibold">Advised: {{ decisions.find((d) => d.id === advised)?.words.toLowerCase() }}</p>
        <p class="max-w-[70ch]">{{ finding.advice.why }}</p>
      </div>
      <FindingPoints :run="run" :finding="finding" />
      <p v-if="!finding.seen" class="mt-4 text-[1.0625rem] font-semibold">
        {{ shapeWords(finding.advice.components.shape) }}
      </p>
      <ErrorComponents v-if="!finding.seen" class="mt-1" :components="finding.advice.components" :unit="unit" />
      <FindingTrends :run="run" :finding="finding" />
      <template v-if="finding.causes?.length && advised !== 'leave'">
        <p class="mt-3 font-semibold">Likely causes of this shape</p>
        <ul class="list-inside list-[square]">
          <li v-for="c in finding.causes" :key="c">{{ c }}</li>
        </ul>
      </template>
      <slot />
      <ThumbBar class="sticky -bottom-5 z-10 mt-4 gap-2 border-t border-line bg-paper py-3">
        <button
          v-for="d in decisions.filter((x) => x.id !== 'adjust' || finding.controls.length)"
          :key="d.id"
          class="btn"
          :class="d.id === advised && 'btn-main'"
          :disabled="sending"
          @click="decide(d.id)"
        >
          {{ d.words }} <kbd v-if="d.id === advised">Enter</kbd>
        </button>
        <TakeBack :finding="finding" />
        <VoidAsFound v-if="outside" :finding="finding" />
      </ThumbBar>
    </template>

    <template v-else-if="finding.adjusting && !finding.adjusted">
      <template v-if="finding.looking"><LookWork :run="run" :finding="finding" /><slot /></template>
      <SpanWork v-else-if="finding.span" :finding="finding"><slot /></SpanWork>
      <AdjustWork v-else :run="run" :finding="finding"><slot /></AdjustWork>
    </template>

    <ReadingWork
      v-else-if="spot"
      :key="spot.measure.id + spot.point.id"
      :run="run"
      :measure="spot.measure"
      :point="spot.point"
      phase="as left"
    >
      <TakeBack :finding="finding" class="mt-2" />
      <slot />
    </ReadingWork>

    <template v-else-if="finding.adjusting">
      <StepHead
        :title="`${step.title}: as left`"
        do="Every point is read again. Close the round to see what the change has done."
      />
      <FindingPoints :run="run" :finding="finding" />
      <slot />
      <ThumbBar class="mt-4">
        <button class="btn btn-main" :disabled="!finding.can_close || sending" @click="close">
          Close as left <kbd>Enter</kbd>
        </button>
      </ThumbBar>
    </template>

    <template v-else>
      <StepHead :title="`${step.title}: decided`" />
      <FindingPoints :run="run" :finding="finding" />
      <p v-for="(d, i) in finding.decisions" :key="i" class="mt-2">
        <b>{{ decisions.find((x) => x.id === d.decision)?.words }}.</b> {{ d.why }} {{ d.reason }}
      </p>
      <slot />
      <p v-if="outside && run.status === 'open'" class="mt-4"><VoidAsFound :finding="finding" /></p>
    </template>

    <DialogShell
      v-if="withdrawing"
      wide="narrow"
      :title="`Take ${run.device.tag} out of use?`"
      hint="Tag it at once. When this run is signed it leaves use, and what was released on its earlier readings is looked at again."
      :initial-focus="notYet"
      @close="withdrawing = false"
    >
      <div class="mt-4 flex flex-wrap gap-3">
        <button ref="notYet" class="btn" @click="withdrawing = false">Not yet</button>
        <HoldButton class="btn-main" @press="takeOutOfUse">Yes, take it out of use</HoldButton>
      </div>
    </DialogShell>
    <AskDialog
      v-if="overruling"
      :title="`${decisions.find((d) => d.id === overruling)?.words}, against the advice`"
      :hint="`Advised: ${decisions.find((d) => d.id === advised)?.words.toLowerCase()}. The record keeps both.`"
      label="Why"
      action="Decide so"
      @done="overrule"
      @close="overruling = undefined"
    />
  </div>
</template>
