<script setup lang="ts">
import { computed, reactive } from 'vue'
import ErrorComponents from '../components/ErrorComponents.vue'
import NeedleMark from '../components/NeedleMark.vue'
import NumberField from '../components/NumberField.vue'
import ZoneMark from '../components/ZoneMark.vue'
import WorkingSheet from './WorkingSheet.vue'
import { answer, api } from '../api/client'
import { numberIn, shapeWords, significant } from '../composables/words'
import { useWorking } from './useWorking'

const form = reactive({
  text: '0,04\t0,05\n5,02\t4,71\n10,04\t9,40',
  tolerance: '±(0.43 + 8 % of reading)',
  u: '0.12',
})
const input = computed(() => {
  const u = form.u ? numberIn(form.u) : 0
  return Number.isFinite(u) ? { text: form.text, tolerance: form.tolerance, u: u || undefined } : undefined
})
const { result, problem } = useWorking('anatomy', input, (body) => answer(api.POST('/api/workings/anatomy', { body })))
</script>

<template>
  <WorkingSheet
    title="Error anatomy"
    about="Paste points from a sheet: reference, shown, and U if it differs. Offset, gain, bend and scatter are told apart."
    :problem="problem"
    :formula="result?.formula"
    :source="result?.source"
  >
    <template #in>
      <label class="block">
        <span class="label">Points, a line each: reference, shown, U</span>
        <textarea v-model="form.text" name="points" rows="8" class="field num"></textarea>
      </label>
      <label class="mt-4 block">
        <span class="label">Tolerance</span><input v-model="form.tolerance" name="tolerance" class="field num" />
      </label>
      <div class="mt-4"><NumberField v-model="form.u" label="U of every point (k = 2)" optional name="u" /></div>
    </template>
    <template #out>
      <p class="text-xl font-semibold">{{ shapeWords(result?.components.shape) }}</p>
      <p>{{ result?.advice }}</p>
      <ErrorComponents v-if="result" class="mt-3" :components="result.components" />
      <ul class="mt-4 flex max-h-56 flex-wrap gap-x-4 overflow-auto">
        <li v-for="(p, i) in result?.points.slice(0, 60)" :key="i" class="flex items-center gap-2 py-1">
          <ZoneMark :zone="p.zone" :size="14" />
          <span class="num text-sm">
            {{ p.reference }}: {{ p.error > 0 ? '+' : '' }}{{ significant(p.error, 3) }}
          </span>
          <NeedleMark :found="p" :width="44" />
        </li>
      </ul>
      <p v-if="result?.line" class="mt-3 text-ink-2">
        shown = <span class="num">{{ significant(result.line.intercept, 4) }}</span> +
        <span class="num">{{ significant(result.line.slope, 5) }}</span> · reference (R²
        <span class="num">{{ significant(result.line.r_squared, 5) }}</span>)
      </p>
    </template>
  </WorkingSheet>
</template>
