<script setup lang="ts">
import { computed, reactive } from 'vue'
import NumberField from '../components/NumberField.vue'
import WorkingSheet from './WorkingSheet.vue'
import { answer, api } from '../api/client'
import { numberIn } from '../composables/words'
import { useWorking } from './useWorking'

const form = reactive({ water: '2', gauge: '61', reserve: '5', flow: '0.5', later: '', metered: '' })
const input = computed(() => {
  const [water_volume_l, gauge_bar, reserve_bar] = [form.water, form.gauge, form.reserve].map(numberIn)
  const optional = (text: string) => (text.trim() ? numberIn(text) : undefined)
  const [flow, later, metered] = [form.flow, form.later, form.metered].map(optional)
  if (![water_volume_l, gauge_bar, reserve_bar, flow ?? 0, later ?? 0, metered ?? 0].every(Number.isFinite))
    return undefined
  return {
    water_volume_l: water_volume_l!,
    gauge_bar: gauge_bar!,
    reserve_bar: reserve_bar!,
    flow_l_min: flow,
    later_gauge_bar: later,
    metered_l: metered,
  }
})
const { result, problem } = useWorking('cylinder', input, (body) =>
  answer(api.POST('/api/workings/cylinder', { body })),
)
const time = computed(() => {
  const m = result.value?.minutes
  if (m === undefined) return '–'
  return m >= 120 ? `${Math.floor(m / 60)} h ${Math.round(m % 60)} min` : `${Math.round(m)} min`
})
</script>

<template>
  <WorkingSheet
    title="Cylinder"
    about="What is left, how long it lasts, and what left it without being used."
    :problem="problem"
    :formula="result?.formula"
    :source="result?.source"
  >
    <template #in>
      <div class="grid grid-cols-1 gap-3">
        <NumberField v-model="form.water" label="Water volume, from its neck" unit="L" name="water" />
        <NumberField v-model="form.gauge" label="Gauge" unit="bar" name="gauge" />
        <NumberField v-model="form.reserve" label="Reserve that stays in it" unit="bar" name="reserve" />
        <NumberField v-model="form.flow" label="Flow" unit="L/min" optional name="flow" />
        <NumberField v-model="form.later" label="Gauge later" unit="bar" optional name="later" />
        <NumberField v-model="form.metered" label="Used between the two" unit="L" optional name="metered" />
      </div>
    </template>
    <template #out>
      <p class="label">Above its reserve</p>
      <p class="num text-[2.625rem] leading-tight">{{ Math.round(result?.usable_l ?? 0) }} L</p>
      <p class="text-ink-2">{{ Math.round(result?.content_l ?? 0) }} L in all, at one standard atmosphere</p>
      <p class="mt-4 text-lg">
        Lasts <b class="num">{{ time }}</b> at this flow
      </p>
      <p v-if="result?.loss_l !== undefined" class="mt-2 text-lg">
        Lost: <b class="num" :class="result.loss_l > 2 && 'text-vermilion'">{{ Math.round(result.loss_l) }} L</b>
      </p>
    </template>
  </WorkingSheet>
</template>
