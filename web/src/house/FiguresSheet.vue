<script setup lang="ts">
import { reactive, watch } from 'vue'
import FormOutcome from '../components/FormOutcome.vue'
import { api } from '../api/client'
import { useSession } from '../composables/useSession'
import { useHouse, type House } from './useHouse'
import SectionTitle from '../components/SectionTitle.vue'

/** The lab's figures: for its intervals, and what it reckons with. */
const { data, problem, saved, change } = useHouse()
const { can } = useSession()
const form = reactive<{ intervals?: House['intervals']; prices?: House['prices'] }>({})
watch(
  data,
  (d) => {
    if (!d || form.intervals) return
    form.intervals = JSON.parse(JSON.stringify(d.intervals))
    form.prices = { ...d.prices }
  },
  { immediate: true },
)
const figures = [
  { key: 'floor', words: 'No shorter than, days' },
  { key: 'rhythm', words: 'Visiting rhythm, days' },
  { key: 'in_a_row', words: 'Staircase: conforming in a row' },
  { key: 'up', words: 'Staircase: longer by' },
  { key: 'down', words: 'Staircase: shorter by' },
  { key: 'least_seen', words: 'Reliability: verifications seen' },
  { key: 'least_out', words: 'Reliability: found out' },
] as const
async function save() {
  const kept =
    !can('set intervals') || (await change(() => api.POST('/api/house/intervals', { body: form.intervals! }), ''))
  if (kept)
    await change(
      () => api.POST('/api/house/prices', { body: form.prices! }),
      'Kept. Recommendations and reports are made by these from now on.',
    )
}
</script>

<template>
  <form v-if="form.intervals && form.prices" class="max-w-4xl" @submit.prevent="save">
    <FormOutcome :saved="saved" :problem="problem" />
    <p v-if="!can('set intervals')" class="mb-3 text-ink-2">A lead changes intervals; prices, a lead or a manager.</p>
    <div class="grid gap-8">
      <fieldset class="min-w-0" :disabled="!can('set intervals')">
        <SectionTitle>Intervals</SectionTitle>
        <table class="max-sm:stacked mt-2 text-left">
          <thead class="text-sm text-ink-2">
            <tr>
              <th class="pr-6 font-normal">by risk</th>
              <th v-for="n in 5" :key="n" class="px-2 font-normal">
                {{ n }}{{ n === 1 ? ', the least' : n === 5 ? ', the gravest' : '' }}
              </th>
            </tr>
          </thead>
          <tbody>
            <tr>
              <th scope="row" class="py-2 pr-6 font-normal">inside its limits at the end of the interval, share</th>
              <td v-for="n in 5" :key="n" class="px-2" :data-column="`risk ${n}`">
                <input
                  v-model.number="form.intervals.targets[n - 1]"
                  type="number"
                  min="0.5"
                  max="0.999"
                  step="any"
                  class="field num w-28"
                  :aria-label="`Target for risk ${n}`"
                  :name="`target-${n}`"
                />
              </td>
            </tr>
            <tr>
              <th scope="row" class="py-2 pr-6 font-normal">no longer than, days</th>
              <td v-for="n in 5" :key="n" class="px-2" :data-column="`risk ${n}`">
                <input
                  v-model.number="form.intervals.ceilings[n - 1]"
                  type="number"
                  min="1"
                  max="3650"
                  class="field num w-28"
                  :aria-label="`Ceiling for risk ${n}`"
                  :name="`ceiling-${n}`"
                />
              </td>
            </tr>
          </tbody>
        </table>
        <div class="mt-3 grid gap-4 sm:grid-cols-4">
          <label v-for="f in figures" :key="f.key"
            ><span class="label">{{ f.words }}</span
            ><input v-model.number="form.intervals[f.key]" type="number" step="any" :name="f.key" class="field num"
          /></label>
        </div>
        <p class="mt-2 text-sm text-ink-2">
          What a rule or a maker binds stays a ceiling, whatever stands here. A person accepts every interval.
        </p>
      </fieldset>
      <fieldset class="min-w-0" :disabled="!can('set prices')">
        <SectionTitle>Prices the reports reckon with</SectionTitle>
        <div class="mt-2 grid gap-4 sm:grid-cols-4">
          <label
            ><span class="label">Currency</span
            ><input v-model="form.prices.currency" name="currency" maxlength="10" class="field"
          /></label>
          <label
            ><span class="label">An hour of hands</span
            ><input v-model.number="form.prices.hour" type="number" min="0" step="any" name="hour" class="field num"
          /></label>
          <label
            ><span class="label">A litre of gas</span
            ><input v-model.number="form.prices.litre" type="number" min="0" step="any" name="litre" class="field num"
          /></label>
          <label
            ><span class="label">An accredited certificate</span
            ><input
              v-model.number="form.prices.certificate"
              type="number"
              min="0"
              step="any"
              name="certificate"
              class="field num"
          /></label>
        </div>
        <p class="mt-2 text-sm text-ink-2">Nothing, or 0: not priced. Reports then show hours and litres only.</p>
      </fieldset>
    </div>
    <button v-if="can('set prices')" class="btn btn-main mt-5">Keep</button>
  </form>
</template>
