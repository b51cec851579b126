<script setup lang="ts">
import { computed, reactive } from 'vue'
import NumberField from '../components/NumberField.vue'
import WorkingSheet from './WorkingSheet.vue'
import { answer, api } from '../api/client'
import { numberIn, significant } from '../composables/words'
import { useWorking } from './useWorking'

/** A concentration by mass and by amount. */
const units = [
  { id: 'mg/dL', title: 'mg/dL' },
  { id: 'mmol/L', title: 'mmol/L' },
  { id: 'umol/L', title: 'µmol/L' },
  { id: 'g/L', title: 'g/L' },
]
const form = reactive({ value: '100', from: 'mg/dL', to: 'mmol/L', analyte: 'glucose' })
const input = computed(() => {
  const value = numberIn(form.value)
  return Number.isFinite(value) ? { ...form, value } : undefined
})
const { result, problem } = useWorking('concentration', input, (body) =>
  answer(api.POST('/api/workings/concentration', { body })),
)
</script>

<template>
  <WorkingSheet
    title="Concentration"
    about="From one unit to another, over the molar mass where one is of mass and the other of amount."
    :problem="problem"
    :formula="result?.formula"
    :source="result?.source"
  >
    <template #in>
      <div class="grid grid-cols-1 gap-3">
        <label class="block"
          ><span class="label">Analyte</span>
          <select v-model="form.analyte" name="analyte" class="field">
            <option v-for="a in result?.analytes ?? [form.analyte]" :key="a">{{ a }}</option>
          </select></label
        >
        <NumberField v-model="form.value" label="Concentration" name="value" />
        <label v-for="side in ['from', 'to'] as const" :key="side" class="block"
          ><span class="label">{{ side === 'from' ? 'Given in' : 'Wanted in' }}</span>
          <select v-model="form[side]" :name="side" class="field">
            <option v-for="u in units" :key="u.id" :value="u.id">{{ u.title }}</option>
          </select></label
        >
      </div>
    </template>
    <template #out>
      <p class="label">{{ form.analyte }}</p>
      <p class="num text-[2.625rem] leading-tight">{{ significant(result?.result ?? 0, 5) }} {{ result?.unit }}</p>
    </template>
  </WorkingSheet>
</template>
