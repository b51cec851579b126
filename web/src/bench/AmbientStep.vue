<script setup lang="ts">
import { computed, reactive, ref } from 'vue'
import { useStorage } from '@vueuse/core'
import ThumbBar from './ThumbBar.vue'
import StepHead from './StepHead.vue'
import SkipStep from './SkipStep.vue'
import { useRunHandle } from './runHandle'
import { useQuery } from '@tanstack/vue-query'
import { queries } from '../api/queries'
import { useClock } from '../composables/useClock'
import type { Run, Step } from '../api/client'
import { ago, unitWords } from '../composables/words'

const props = defineProps<{ run: Run; step: Step }>()
const { send, sending, problem } = useRunHandle()
const { data: offer } = useQuery(queries.room(props.run.id))
const now = useClock()
const reason = ref('')
/** What was recorded in this room within the hour, as it would be typed here. */
const last = computed(() => offer.value?.last)
function again() {
  if (!last.value) return
  const was = last.value.ambient
  room.temperature = `${exact(was.temperature_c)}${inOwn('temperature', 'Cel')}`
  room.pressure = `${exact(was.pressure_hpa)}${inOwn('pressure', 'hPa')}`
  room.humidity = String(was.humidity_percent)
  source.value = was.instrument || was.source
}
/** Readings rest on what was recorded: another value is a correction, with its reason. */
const correcting = computed(() => a.recorded && props.run.measures.some((m) => m.points.some((p) => p.readings.length)))
const source = useStorage('room-source', '')
const a = props.run.ambient
/** What was recorded stands in °C and hPa: with its unit behind it where the lab types another. */
function inOwn(of: 'temperature' | 'pressure', unit: string) {
  return props.run.room[of] === unit ? '' : ` ${unitWords(unit)}`
}
/** As it was typed, where it was typed in these units; without the tail of a conversion where it was not. */
const exact = (v: number) => Number(v.toPrecision(7))
const room = reactive({
  temperature: a.recorded ? `${exact(a.temperature_c)}${inOwn('temperature', 'Cel')}` : '',
  pressure: a.recorded ? `${exact(a.pressure_hpa)}${inOwn('pressure', 'hPa')}` : '',
  humidity: a.recorded ? String(a.humidity_percent) : '',
})
const form = ref<HTMLFormElement>()
const fields = [
  { key: 'temperature', label: 'Temperature', unit: unitWords(props.run.room.temperature ?? 'Cel') },
  { key: 'pressure', label: 'Barometric pressure, at this place', unit: unitWords(props.run.room.pressure ?? 'hPa') },
  { key: 'humidity', label: 'Relative humidity', unit: '%' },
] as const

/** Enter confirms a field and moves on; on the last one it records. */
function onEnter(event: Event) {
  const inputs = [...(form.value?.querySelectorAll('input') ?? [])]
  const next = inputs[inputs.indexOf(event.target as HTMLInputElement) + 1]
  if (next) next.focus()
  else save()
}
async function save() {
  await send({
    kind: 'ambient',
    step: props.step.id,
    ...room,
    source: source.value,
    ...(reason.value && { reason: reason.value }),
  })
  if (problem.value?.field) form.value?.querySelector<HTMLInputElement>(`[name=${problem.value.field}]`)?.focus()
}
</script>

<template>
  <form ref="form" @submit.prevent>
    <StepHead :title="step.title" :do="step.do" :caution="step.caution" />
    <button
      v-if="last && !step.done"
      type="button"
      class="btn mt-4 h-auto max-w-xl py-2 text-left whitespace-normal"
      @click="again"
    >
      Use what {{ last.by }} recorded here {{ ago(last.at, now) }} for {{ last.tag }}:
      <span class="num block"
        >{{ last.ambient.temperature_c }} °C · {{ exact(last.ambient.pressure_hpa) }} hPa ·
        {{ last.ambient.humidity_percent }} %</span
      >
    </button>
    <div class="mt-5 grid max-w-xl grid-cols-1 gap-4">
      <label
        v-for="(f, i) in fields"
        :key="f.key"
        class="grid grid-cols-[minmax(0,1fr)_8rem_auto] items-center gap-3 sm:grid-cols-[1fr_150px_50px]"
      >
        <span>{{ f.label }}</span>
        <input
          v-model="room[f.key]"
          :name="f.key"
          inputmode="decimal"
          class="field num text-right text-2xl"
          :data-first="i === 0 ? '' : undefined"
          :aria-invalid="problem?.field === f.key"
          autocomplete="off"
          @keydown.enter.prevent="onEnter"
        />
        <span class="text-ink-2">{{ f.unit }}</span>
      </label>
      <label class="grid items-center gap-x-3 gap-y-1 sm:grid-cols-[1fr_212px]">
        <span>Read from</span>
        <input
          v-model="source"
          name="source"
          class="field"
          list="room-instruments"
          placeholder="tag of the room instrument"
          @keydown.enter.prevent="onEnter"
        />
        <datalist id="room-instruments">
          <option v-for="tag in offer?.instruments" :key="tag" :value="tag"></option>
        </datalist>
      </label>
      <label v-if="correcting" class="block">
        <span class="mb-1 block">Why it is corrected</span>
        <input v-model="reason" name="reason" class="field" maxlength="1000" @keydown.enter.prevent="onEnter" />
      </label>
    </div>
    <slot />
    <ThumbBar class="mt-5">
      <button type="button" class="btn btn-main" :disabled="sending" @click="save">Record <kbd>Enter</kbd></button>
      <SkipStep v-if="!step.done" :step="step" />
    </ThumbBar>
  </form>
</template>
