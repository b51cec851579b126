<script setup lang="ts">
import { computed, reactive, ref } from 'vue'
import ThumbBar from './ThumbBar.vue'
import StepHead from './StepHead.vue'
import StandInPanel from './StandInPanel.vue'
import { useRunHandle } from './runHandle'
import { useKeys } from '../composables/useKeys'
import { api } from '../api/client'
import { useSend } from '../composables/useSend'
import { useBenchState } from '../composables/useBenchState'
import { shown } from '../composables/words'
import type { Finding, Run } from '../api/client'
import AlertNote from '../components/AlertNote.vue'

/** What to move on the device, in its own steps, and what it should read afterwards. */
const props = defineProps<{ run: Run; finding: Finding }>()
const { send, sending } = useRunHandle()
const { data: bench } = useBenchState()
/** What to move: as advised, or, against the advice, what would bring the errors nearest to none. */
const plan = computed(() => props.finding.offer ?? props.finding.advice)

/** One entry for each thing that can be moved: a control, or a table's entry for a point. */
interface Entry {
  key: string
  control: string
  point?: string
  label: string
  once?: boolean // a routine of the device: done, not pressed so many times
}
const entries = computed<Entry[]>(() =>
  props.finding.controls.flatMap<Entry>((c) => {
    if (c.kind !== 'table' && c.kind !== 'zone')
      return [{ key: c.id, control: c.id, label: c.label, once: c.kind === 'routine' }]
    const zones = new Set<string>() // a trim that serves several points is one entry
    return (c.on?.length ? c.on : props.finding.judges).flatMap((id) => {
      const m = props.run.measures.find((x) => x.id === id)
      const own = (m?.points ?? []).filter((p) => !p.zone || (!zones.has(p.zone) && zones.add(p.zone)))
      return own.map((p) => ({
        key: `${c.id} ${id}/${p.id}`,
        control: c.id,
        point: `${id}/${p.id}`,
        label: p.zone ?? `${m!.title} ${p.label}`,
      }))
    })
  }),
)
/** A control that is told what was measured, in place of presses. */
const told = computed(() => props.finding.controls.find((c) => c.sense === 'value'))
const made = reactive<Record<string, string>>({})
for (const e of entries.value) {
  const advised = plan.value?.moves?.find((m) => m.control === e.control && (m.point ?? '') === (e.point ?? ''))
  made[e.key] = String(advised?.steps ?? '')
}
const { trouble, send: tell, refuse, clear } = useSend()
/** The measure that the advised control acts on, which says where the simulated device is. */
const measure = computed(() => {
  const moved = plan.value?.moves?.[0]?.control
  const on = props.finding.controls.find((c) => c.id === moved)?.on?.[0]
  return props.run.measures.find((m) => m.id === (on ?? props.finding.judges[0]))
})
const instrument = computed(() => measure.value?.link ?? '')
const standIn = computed(() => bench.value?.links.some((l) => l.id === instrument.value && l.simulated))
const pressed = ref(false)
const predicted = computed(() =>
  (measure.value?.points ?? [])
    .map((p, i) => ({ label: p.label, error: plan.value?.after?.[i] }))
    .filter((p) => p.error !== undefined),
)

async function press() {
  for (const move of plan.value?.moves ?? []) {
    const entry = move.point ? `,${move.point.split('/')[1]}` : ''
    const command = `SIMulate:PRESs ${move.control.toUpperCase()},${move.steps}${entry}`
    const params = { path: { id: instrument.value } }
    await tell(() => api.POST('/api/stand-ins/{id}', { params, body: { command } }))
    if (trouble.value) return
  }
  pressed.value = true
}
async function note() {
  clear()
  const steps = entries.value.map((e) => ({
    control: e.control,
    point: e.point,
    steps: Number((made[e.key] || '0').replace('−', '-')),
  }))
  if (steps.some((s) => !Number.isInteger(s.steps)))
    return refuse('Presses are whole numbers: 3 for three up, −2 for two down.')
  const moved = steps.filter((s) => s.steps !== 0)
  if (!moved.length) return refuse('Say what was done, on at least one control.')
  for (const s of moved) if (!(await send({ kind: 'adjust', finding: props.finding.id, ...s }))) return
}
useKeys({ Enter: note })
</script>

<template>
  <StepHead
    :title="`Adjust, round ${finding.closed}`"
    do="Do it in the device’s menu, then note what was done. The points are read again afterwards."
  />
  <div v-if="plan?.moves?.length" class="mt-4 border-2 border-ink bg-sheet p-4">
    <p v-if="finding.offer" class="mb-2 text-ink-2">Against the advice: what would bring the errors nearest to none.</p>
    <p v-for="m in plan.moves" :key="m.control + m.point" :class="plan.moves.length > 2 ? 'text-lg' : 'text-3xl'">
      {{ m.words }}
    </p>
    <p v-if="predicted.length" class="mt-2 text-ink-2">
      It should then be off by
      <span v-for="(p, i) in predicted" :key="p.label"
        ><template v-if="i">, </template><span class="num">{{ shown(p.error!, measure!.resolution, true) }}</span> at
        {{ p.label }}</span
      >
      {{ measure?.shown }}. This is a prediction, not a reading.
    </p>
    <button v-if="standIn" class="btn mt-3" :disabled="pressed" @click="press">
      {{ pressed ? 'Made on the simulated device' : 'Make them on the simulated device' }}
    </button>
  </div>
  <fieldset class="mt-4 flex flex-wrap items-end gap-5">
    <legend class="mb-2 font-semibold">
      {{
        told
          ? `What was done, in steps of ${told.step}: as advised, or as it was entered`
          : 'What was done (presses: up is positive, down negative)'
      }}
    </legend>
    <label v-for="e in entries" :key="e.key">
      <span class="label">{{ e.label }}</span>
      <select v-if="e.once" v-model="made[e.key]" :name="`presses-${e.key}`" class="field w-36 text-xl">
        <option value="">not done</option>
        <option value="1">done</option>
      </select>
      <input
        v-else
        v-model="made[e.key]"
        :name="`presses-${e.key}`"
        inputmode="numeric"
        class="field num w-36 text-2xl"
        @keydown.enter.prevent="note"
      />
    </label>
  </fieldset>
  <AlertNote class="mt-2" :words="trouble" />
  <slot />
  <ThumbBar class="mt-4">
    <button class="btn btn-main" :disabled="sending" @click="note">Note the adjustment <kbd>Enter</kbd></button>
  </ThumbBar>
  <StandInPanel v-if="instrument" :instrument="instrument" :entries="measure?.points" />
</template>
