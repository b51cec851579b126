<script setup lang="ts">
import { computed, reactive } from 'vue'
import { useRoute } from 'vue-router'
import NumberField from '../components/NumberField.vue'
import WorkingSheet from './WorkingSheet.vue'
import { answer, api } from '../api/client'
import { numberIn, significant } from '../composables/words'
import { useWorking } from './useWorking'

/** Takes a meter's dead space and gain, as last found, out of a later reading. */
const route = useRoute()
const form = reactive({
  text: typeof route.query.points === 'string' ? route.query.points : '3\t3.24\n6\t6.25\n9\t9.24\n12\t12.25',
  reading: '8.40',
  u: '0.024',
})
const input = computed(() => {
  const [reading, u] = [form.reading, form.u || '0'].map(numberIn)
  return Number.isFinite(reading) && Number.isFinite(u) ? { text: form.text, reading: reading!, u: u! } : undefined
})
const { result, problem } = useWorking('correction', input, (body) =>
  answer(api.POST('/api/workings/correction', { body })),
)
const part = (found: boolean | undefined, text: string, none: string) =>
  found ? text : `${text}, not to be told from ${none}`
</script>

<template>
  <WorkingSheet
    title="Meter correction"
    about="Dead space and gain of a meter from volumes that were delivered, taken out of a later reading."
    :problem="problem"
    :formula="result?.formula"
    :source="result?.source"
  >
    <template #in>
      <label class="block">
        <span class="label">Volumes, a line each: delivered, shown</span>
        <textarea v-model="form.text" name="volumes" rows="6" class="field num"></textarea>
      </label>
      <div class="mt-4 grid grid-cols-1 gap-3">
        <NumberField v-model="form.reading" label="Reading to correct" unit="L" name="meter-reading" />
        <NumberField v-model="form.u" label="U of the largest volume delivered (k = 2)" unit="L" optional name="u" />
      </div>
    </template>
    <template #out>
      <p class="label">Corrected volume</p>
      <p class="num text-[2.625rem] leading-tight">{{ result ? result.volume.toFixed(3) : '–' }} L</p>
      <p class="text-ink-2">
        U <span class="num">{{ significant(result?.u ?? 0, 2) }}</span> L, for about 95 %
      </p>
      <p class="mt-4 text-lg">
        Dead space <b>{{ part(result?.dead_space_found, `${result?.dead_space.toFixed(3)} L`, 'none') }}</b>
      </p>
      <p class="text-lg">
        Gain <b>{{ part(result?.gain_found, result?.gain.toFixed(4) ?? '', '1') }}</b>
      </p>
    </template>
  </WorkingSheet>
</template>
