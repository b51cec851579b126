<script setup lang="ts">
import { computed, reactive } from 'vue'
import NumberField from '../components/NumberField.vue'
import WorkingSheet from './WorkingSheet.vue'
import { answer, api } from '../api/client'
import { numberIn, significant } from '../composables/words'
import { useWorking } from './useWorking'

/** What goes into each cuvette, and the level that is really there. */
const form = reactive({
  assigned: '5.61',
  reagent: '1000',
  sample: '10',
  tolerance: '5',
  multiples: '1 2 4 6',
  pipettes: '10 100 0.8\n100 1000 4',
})
const input = computed(() => {
  const [assigned, reagent_ul, sample_ul, tolerance_percent] = [
    form.assigned,
    form.reagent,
    form.sample,
    form.tolerance,
  ].map(numberIn)
  return [assigned, reagent_ul, sample_ul, tolerance_percent].every(Number.isFinite)
    ? {
        assigned: assigned!,
        reagent_ul: reagent_ul!,
        sample_ul: sample_ul!,
        tolerance_percent: tolerance_percent!,
        multiples: form.multiples,
        pipettes: form.pipettes,
      }
    : undefined
})
const { result, problem } = useWorking('dilution', input, (body) =>
  answer(api.POST('/api/workings/dilution', { body })),
)
</script>

<template>
  <WorkingSheet
    title="Dilution plan"
    about="Levels from one calibrator: what to pipette with what, and the level that is really there."
    :problem="problem"
    :formula="result?.formula"
    :source="result?.source"
  >
    <template #in>
      <div class="grid sm:grid-cols-2 gap-3">
        <NumberField v-model="form.assigned" label="Assigned value" unit="mmol/L" name="assigned" />
        <NumberField v-model="form.tolerance" label="Tolerance" unit="%" name="tolerance" />
        <NumberField v-model="form.reagent" label="Reagent in each" unit="µL" name="reagent" />
        <NumberField v-model="form.sample" label="Usual sample" unit="µL" name="sample" />
      </div>
      <label class="mt-4 block">
        <span class="label">Levels, as multiples of the usual sample</span>
        <input v-model="form.multiples" name="multiples" class="field num" />
      </label>
      <label class="mt-4 block">
        <span class="label">Pipettes, a line each: from, to, U in µL</span>
        <textarea v-model="form.pipettes" name="pipettes" rows="3" class="field num"></textarea>
      </label>
    </template>
    <template #out>
      <table class="w-full text-left">
        <thead class="text-sm text-ink-2">
          <tr>
            <th class="font-normal">Cuvette</th>
            <th class="text-right font-normal">Reagent</th>
            <th class="text-right font-normal">Calibrator</th>
            <th class="text-right font-normal">Real level</th>
            <th class="text-right font-normal">Pipetting</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="(c, i) in result?.plan" :key="i" class="border-t border-line align-top">
            <th scope="row" class="py-2">{{ c.multiple ? `${c.multiple} ×` : 'blank' }}</th>
            <td class="py-2 text-right">
              <span class="num">{{ c.reagent_ul }}</span> µL<br /><span class="text-sm text-ink-2">{{
                c.reagent_by
              }}</span>
            </td>
            <td class="py-2 text-right">
              <template v-if="c.multiple">
                <span class="num">{{ c.sample_ul }}</span> µL<br /><span class="text-sm text-ink-2">{{
                  c.sample_by
                }}</span>
              </template>
              <template v-else>none</template>
            </td>
            <td class="num py-2 text-right text-lg font-semibold">{{ c.level.toFixed(2) }}</td>
            <td class="py-2 text-right">
              <template v-if="c.multiple">
                <span class="num">±{{ significant(c.u_percent, 2) }}</span> %<br /><span
                  class="text-sm"
                  :class="c.of_tolerance > 0.5 ? 'font-semibold text-vermilion' : 'text-ink-2'"
                  ><span class="num">{{ Math.round(100 * c.of_tolerance) }}</span> % of the tolerance</span
                >
              </template>
            </td>
          </tr>
        </tbody>
      </table>
    </template>
  </WorkingSheet>
</template>
