<script setup lang="ts">
import ThumbBar from './ThumbBar.vue'
import { computed, nextTick, onMounted, ref, watch } from 'vue'
import AskDialog from '../components/AskDialog.vue'
import TimerRing from '../components/TimerRing.vue'
import { useRunHandle } from './runHandle'
import { useClock } from '../composables/useClock'
import { stepped, useKeys } from '../composables/useKeys'
import { tone } from '../composables/useTone'
import { countdown, localTime, shown } from '../composables/words'
import type { Measure, Point } from '../api/client'

/** A stage by hand: what is shown before, the time, and what is shown after. It is kept step by step on the server. */
const props = defineProps<{ measure: Measure; point: Point; phase: string }>()
const { send, sending, problem } = useRunHandle()
const now = useClock()
const stage = computed(() => props.point.stage)
/** What the stage is at: the field before it, its time, or the field after it. */
const at = computed(() =>
  !stage.value?.started || again.value ? 'before' : stage.value.stopped ? 'after' : ('running' as const),
)
const before = ref('')
const after = ref('')
const lasted = ref('')
/** Why the stage that is under way is started again; empty as long as it is not. */
const again = ref('')
const asking = ref(false)
const field = ref<HTMLInputElement>()
const name = computed(() => props.measure.stage!.shows)
const unit = computed(() => props.measure.stage!.unit)
const asked = computed(() => (props.point.with?.minutes ?? 0) * 60_000)
const until = computed(() => new Date(new Date(stage.value!.started!).getTime() + asked.value).toISOString())
/** How long it should still run, in words. */
const toGo = computed(() => (ran.value < asked.value ? `, in ${countdown(asked.value - ran.value)}` : ''))
const ran = computed(() => {
  const s = stage.value
  if (!s?.started) return 0
  return (s.stopped ? new Date(s.stopped).getTime() : now.value) - new Date(s.started).getTime()
})

async function go() {
  const where = { measure: props.measure.id, point: props.point.id }
  if (sending.value) return
  if (at.value === 'running') {
    await send({ kind: 'stop-stage', ...where })
    return
  }
  if (at.value === 'before') {
    const order = { kind: 'start-stage' as const, ...where, typed: before.value.trim() || offered.value }
    if (await send(again.value ? { ...order, reason: again.value } : order)) {
      before.value = again.value = ''
    }
    return
  }
  const text = after.value
  if (await send({ kind: 'capture', ...where, typed: text, lasted: lasted.value.trim() || undefined })) {
    tone('taken')
    if (after.value === text) after.value = lasted.value = ''
  }
}
const offered = computed(() => (stage.value?.offered === undefined ? '' : String(stage.value.offered)))

function startAgain(reason: string) {
  asking.value = false
  again.value = reason
}
// What is next has another field, or none: the cursor goes with it, and an Enter for the one before does nothing.
watch(at, async () => {
  stepped()
  await nextTick()
  field.value?.focus()
})
onMounted(() => field.value?.focus())
useKeys({ Enter: go })
</script>

<template>
  <div class="mt-3 border-2 border-ink bg-sheet">
    <ol class="grid grid-cols-3 max-[700px]:grid-cols-1">
      <li class="border-line px-4 py-2 min-[701px]:border-r" :class="at === 'before' && 'bg-brass-wash'">
        <label class="block" data-keys>
          <span class="label">1 · {{ name }} before</span>
          <span class="flex items-baseline">
            <input
              v-if="at === 'before'"
              ref="field"
              v-model="before"
              data-first
              name="before"
              inputmode="decimal"
              autocomplete="off"
              class="num w-full min-w-0 bg-transparent text-[2.625rem] md:max-xl:text-[3.25rem] leading-tight placeholder:text-ink-2/70 focus-visible:outline-none"
              :placeholder="offered"
              :aria-invalid="problem?.field === 'typed'"
              @keydown.enter.prevent="go"
            />
            <span v-else class="num w-full text-[2.625rem] md:max-xl:text-[3.25rem] leading-tight">{{
              stage!.before
            }}</span>
            <span class="text-ink-2">{{ unit }}</span>
          </span>
        </label>
      </li>
      <li
        class="border-line px-4 py-2 max-[700px]:border-t min-[701px]:border-r"
        :class="at === 'running' && 'bg-brass-wash'"
      >
        <span class="label">2 · Time</span>
        <span
          v-if="at === 'before'"
          class="num block text-[2.625rem] md:max-xl:text-[3.25rem] leading-tight text-ink-2"
          >{{ countdown(asked) }}</span
        >
        <span v-else class="flex items-center gap-3" role="timer">
          <TimerRing v-if="at === 'running' && asked" :started="stage!.started!" :until="until" :now="now" />
          <span class="num text-[2.625rem] md:max-xl:text-[3.25rem] leading-tight">{{ countdown(ran) }}</span>
        </span>
      </li>
      <li class="px-4 py-2 max-[700px]:border-t max-[700px]:border-line" :class="at === 'after' && 'bg-brass-wash'">
        <label class="block" data-keys>
          <span class="label">3 · {{ name }} after</span>
          <span class="flex items-baseline">
            <input
              v-if="at === 'after'"
              ref="field"
              v-model="after"
              data-first
              name="after"
              inputmode="decimal"
              autocomplete="off"
              class="num w-full min-w-0 bg-transparent text-[2.625rem] md:max-xl:text-[3.25rem] leading-tight focus-visible:outline-none"
              :aria-invalid="problem?.field === 'typed'"
              @keydown.enter.prevent="go"
            />
            <span v-else class="num w-full text-[2.625rem] md:max-xl:text-[3.25rem] leading-tight text-ink-2">–</span>
            <span class="text-ink-2">{{ unit }}</span>
          </span>
        </label>
      </li>
    </ol>
    <p v-if="at === 'after'" class="border-t border-line px-4 py-2">
      <label class="flex flex-wrap items-baseline gap-2">
        <span class="text-ink-2">Your own stopwatch, if it says otherwise</span>
        <input
          v-model="lasted"
          name="lasted"
          autocomplete="off"
          class="field num w-28"
          :placeholder="countdown(ran)"
          :aria-invalid="problem?.field === 'lasted'"
          @keydown.enter.prevent="go"
        />
        <span class="text-ink-2">minutes : seconds</span>
      </label>
    </p>
  </div>
  <p class="mt-2 min-h-6 text-[0.9375rem]" aria-live="polite">
    <template v-if="at === 'before'">
      <template v-if="again">Started again: {{ again }}. Weigh anew. </template>
      <template v-else-if="offered">
        <span class="num">{{ shown(Number(offered), 0.01) }} {{ unit }}</span> was read after the stage before; type
        what it shows now if anything was touched.
      </template>
      <kbd>Enter</kbd> together with the start of the pump.
    </template>
    <template v-else-if="at === 'running'">
      Runs since <span class="num">{{ localTime(stage!.started!) }}</span>. <kbd>Enter</kbd> together with its stop{{
        toGo
      }}.
    </template>
    <template v-else>The pump stands, the last drop has fallen: type what the balance shows.</template>
  </p>
  <slot />
  <ThumbBar class="mt-2">
    <button class="btn btn-main" :disabled="sending || !!point.missing" @click="go">
      {{ at === 'before' ? 'Start the time' : at === 'running' ? 'Stop the time' : 'Record the stage' }}
      <kbd>Enter</kbd>
    </button>
    <button v-if="at !== 'before'" class="btn" @click="asking = true">Disturbed: start again …</button>
    <button v-else-if="again" class="btn" @click="again = ''">Leave it running</button>
    <slot name="more" />
  </ThumbBar>
  <AskDialog
    v-if="asking"
    :title="`Start ${measure.title} ${point.label} again`"
    hint="What was begun stays in the record, and the certificate says that it was started again."
    label="What disturbed it"
    action="Start again"
    :suggestions="['The cup or the table was touched', 'A bubble in the line', 'The pump stopped in between']"
    @done="startAgain"
    @close="asking = false"
  />
</template>
