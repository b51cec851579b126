<script setup lang="ts">
import { computed, reactive } from 'vue'
import NumberField from '../components/NumberField.vue'
import WorkingSheet from './WorkingSheet.vue'
import { answer, api } from '../api/client'
import { numberIn, significant } from '../composables/words'
import { useWorking } from './useWorking'

const conditions = [
  { name: 'ATP', words: 'as in the room (ATP)' },
  { name: 'ATPS', words: 'room, saturated (ATPS)' },
  { name: 'ATPD', words: 'room, dry (ATPD)' },
  { name: 'BTPS', words: 'body, saturated (BTPS)' },
  { name: 'STPD', words: '0 °C, 1013 hPa, dry (STPD)' },
  { name: 'STPD20', words: '20 °C, 1013 hPa, dry' },
  { name: 'STPD21', words: '21 °C, 1013 hPa, dry' },
  { name: 'ATPD20', words: '20 °C, room pressure, dry' },
  { name: 'ATPD21', words: '21 °C, room pressure, dry' },
] as const
type Name = (typeof conditions)[number]['name']
const form = reactive({ value: '3', temperature: '21.4', pressure: '1008', humidity: '46', co2: '5.02' })
const pair = reactive<{ from: Name; to: Name }>({ from: 'ATP', to: 'BTPS' })
const input = computed(() => {
  const [value, temperature_c, pressure_hpa, humidity_percent] = [
    form.value,
    form.temperature,
    form.pressure,
    form.humidity,
  ].map(numberIn)
  const co2 = numberIn(form.co2)
  if (![value, temperature_c, pressure_hpa, humidity_percent].every(Number.isFinite)) return undefined
  const room = { temperature_c: temperature_c!, pressure_hpa: pressure_hpa!, humidity_percent: humidity_percent! }
  return {
    value: value!,
    from: { name: pair.from, ...room },
    to: { name: pair.to, ...room },
    co2_percent: Number.isFinite(co2) ? co2 : undefined,
  }
})
const { result, problem } = useWorking('gas', input, (body) => answer(api.POST('/api/workings/gas', { body })))
</script>

<template>
  <WorkingSheet
    title="Gas conditions"
    about="The same gas takes another volume when it is warmer, wetter or thinner."
    :problem="problem"
    :formula="result?.formula"
    :source="result?.source"
  >
    <template #in>
      <NumberField v-model="form.value" label="Volume or flow" name="value" />
      <div class="mt-4 grid grid-cols-2 gap-4">
        <label v-for="side in ['from', 'to'] as const" :key="side">
          <span class="label">{{ side === 'from' ? 'Stated' : 'Wanted' }}</span>
          <select v-model="pair[side]" class="field" :name="side">
            <option v-for="c in conditions" :key="c.name" :value="c.name">{{ c.words }}</option>
          </select>
        </label>
      </div>
      <div class="mt-4 grid grid-cols-1 gap-3">
        <NumberField v-model="form.temperature" label="Room temperature" unit="°C" name="temperature" />
        <NumberField v-model="form.pressure" label="Barometric pressure there" unit="hPa" name="pressure" />
        <NumberField v-model="form.humidity" label="Relative humidity" unit="%" name="humidity" />
        <NumberField v-model="form.co2" label="CO₂ in the dry gas" unit="vol%" optional name="co2" />
      </div>
    </template>
    <template #out>
      <p class="label">{{ pair.from }} to {{ pair.to }}</p>
      <p class="num text-[2.625rem] leading-tight">{{ significant(result?.result, 5) }}</p>
      <p class="text-lg">
        × <span class="num">{{ significant(result?.factor, 6) }}</span>
      </p>
      <p class="mt-3 text-ink-2">
        Water vapour: <span class="num">{{ significant(result?.from_vapour_hpa, 4) }}</span> hPa before,
        <span class="num">{{ significant(result?.to_vapour_hpa, 4) }}</span> hPa after.
      </p>
      <dl v-if="result?.co2_dry_mmhg" class="mt-3 grid grid-cols-[1fr_auto] gap-y-1 border-t border-line pt-3">
        <dt>pCO₂, the whole pressure counted</dt>
        <dd class="num">{{ significant(result.co2_dry_mmhg, 4) }} mmHg</dd>
        <dt>pCO₂, water vapour at 37 °C taken off</dt>
        <dd class="num">{{ significant(result.co2_btps_mmhg, 4) }} mmHg</dd>
      </dl>
    </template>
  </WorkingSheet>
</template>
