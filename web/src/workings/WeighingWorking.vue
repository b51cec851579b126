<script setup lang="ts">
import { computed, reactive } from 'vue'
import NumberField from '../components/NumberField.vue'
import WorkingSheet from './WorkingSheet.vue'
import { answer, api } from '../api/client'
import { numberIn, significant } from '../composables/words'
import { useWorking } from './useWorking'

/** What a pump delivered onto a balance: one gram is not one millilitre. */
const form = reactive({
  start_g: '84.112',
  end_g: '88.263',
  minutes: '10',
  evaporation_g_h: '0.02',
  water_c: '22',
  air_c: '21.4',
  pressure_hpa: '1008',
  humidity_percent: '46',
  set_ml_h: '25',
})
const input = computed(() => {
  const values = Object.fromEntries(Object.entries(form).map(([k, v]) => [k, v.trim() ? numberIn(v) : 0])) as Record<
    keyof typeof form,
    number
  >
  return Object.values(values).every(Number.isFinite) ? values : undefined
})
const { result, problem } = useWorking('weighing', input, (body) =>
  answer(api.POST('/api/workings/weighing', { body })),
)
const sign = (v: number) => (v > 0 ? '+' : v < 0 ? '−' : '') + Math.abs(v).toFixed(2)
</script>

<template>
  <WorkingSheet
    title="Pump weighing"
    about="Volume and flow from two readings of a balance, with buoyancy, evaporation and the water's temperature."
    :problem="problem"
    :formula="result?.formula"
    :source="result?.source"
  >
    <template #in>
      <div class="grid sm:grid-cols-2 gap-3">
        <NumberField v-model="form.start_g" label="Balance before" unit="g" name="start_g" />
        <NumberField v-model="form.end_g" label="Balance after" unit="g" name="end_g" />
        <NumberField v-model="form.minutes" label="Time between" unit="min" name="minutes" />
        <NumberField v-model="form.set_ml_h" label="Pump is set to" unit="mL/h" optional name="set_ml_h" />
        <NumberField v-model="form.evaporation_g_h" label="Evaporation" unit="g/h" name="evaporation_g_h" />
        <NumberField v-model="form.water_c" label="Water" unit="°C" name="water_c" />
        <NumberField v-model="form.air_c" label="Air" unit="°C" name="air_c" />
        <NumberField v-model="form.pressure_hpa" label="Pressure" unit="hPa" name="pressure_hpa" />
        <NumberField v-model="form.humidity_percent" label="Humidity" unit="%" name="humidity_percent" />
      </div>
    </template>
    <template #out>
      <p class="label">Delivered</p>
      <p class="num text-[2.625rem] leading-tight">{{ result ? significant(result.flow_ml_h, 5) : '–' }} mL/h</p>
      <p class="text-ink-2">
        <span class="num">{{ significant(result?.volume_ml ?? 0, 5) }}</span> mL, that is
        <span class="num">{{ result?.ml_per_g.toFixed(5) }}</span> mL for a gram
      </p>
      <p v-if="result?.error_percent !== undefined" class="mt-4 text-lg">
        Delivered <b class="num">{{ sign(result.error_percent) }} %</b> of what was set; the set's factor is multiplied
        by <b class="num">{{ result.factor?.toFixed(4) }}</b>
      </p>
    </template>
  </WorkingSheet>
</template>
