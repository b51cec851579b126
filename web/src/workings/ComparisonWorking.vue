<script setup lang="ts">
import { computed, reactive } from 'vue'
import NumberField from '../components/NumberField.vue'
import WorkingSheet from './WorkingSheet.vue'
import { answer, api } from '../api/client'
import { numberIn, significant } from '../composables/words'
import { useWorking } from './useWorking'

/** Two methods compared where both scatter: a factor, an offset, or nothing. */
const form = reactive({
  text: '3.9\t4.1\n4.6\t5.0\n5.4\t5.7\n6.1\t6.7\n7.5\t8.0\n9.2\t10.1\n11.8\t12.7\n14.3\t15.6',
  ratio: '1',
})
const input = computed(() => {
  const ratio = form.ratio.trim() ? numberIn(form.ratio) : 1
  return Number.isFinite(ratio) ? { text: form.text, ratio } : undefined
})
const { result, problem } = useWorking('comparison', input, (body) =>
  answer(api.POST('/api/workings/comparison', { body })),
)
const interval = (v?: number[]) => (v ? `${significant(v[0]!, 3)} to ${significant(v[1]!, 3)}` : '')
</script>

<template>
  <WorkingSheet
    title="Method comparison"
    about="A correction factor or offset against a reference method, where both scatter."
    :problem="problem"
    :formula="result?.formula"
    :source="result?.source"
  >
    <template #in>
      <label class="block">
        <span class="label">Samples, a line each: reference, under test</span>
        <textarea v-model="form.text" name="pairs" rows="9" class="field num"></textarea>
      </label>
      <div class="mt-4">
        <NumberField v-model="form.ratio" label="Variance under test ÷ reference" optional name="ratio" />
      </div>
    </template>
    <template #out>
      <p class="text-xl font-semibold">{{ result?.words }}</p>
      <dl class="mt-4 grid max-w-md sm:grid-cols-[auto_auto_1fr] gap-x-5 gap-y-2 text-lg">
        <dt>Slope</dt>
        <dd class="num font-semibold">{{ significant(result?.slope ?? 0, 4) }}</dd>
        <dd class="num text-ink-2">{{ interval(result?.slope_ci) }}</dd>
        <dt>Intercept</dt>
        <dd class="num font-semibold">{{ significant(result?.intercept ?? 0, 3) }}</dd>
        <dd class="num text-ink-2">{{ interval(result?.intercept_ci) }}</dd>
      </dl>
      <p class="mt-3 text-ink-2">{{ result?.n }} samples; 95 % intervals.</p>
    </template>
  </WorkingSheet>
</template>
