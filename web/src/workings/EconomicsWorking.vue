<script setup lang="ts">
import { computed, reactive, watch } from 'vue'
import { useQuery } from '@tanstack/vue-query'
import { usePrices } from '../composables/usePrices'
import { useRoute } from 'vue-router'
import NumberField from '../components/NumberField.vue'
import WorkingSheet from './WorkingSheet.vue'
import { answer, api } from '../api/client'
import { numberIn, significant } from '../composables/words'
import { useWorking } from './useWorking'
import { queries } from '../api/queries'

/**
 * Accredited, in house, replace, or do without: what each costs a year, and which will do. For a device
 * its record fills in what it knows, and says from where.
 */
const route = useRoute()
const tag = computed(() => (typeof route.query.asset === 'string' ? route.query.asset : ''))
const { data: known } = useQuery(queries.worth(tag))
watch(known, (w) => {
  if (!w) return
  use.as = w.case.use
  for (const { field } of w.known) {
    const key = field as keyof typeof form
    if (key in form) form[key] = w.case[key] ? significant(w.case[key], 3) : '0'
  }
})
const form = reactive({
  tur: '4',
  least_tur: '3',
  per_year: '1',
  accredited: '380',
  in_house: '90',
  failures: '0.3',
  repair: '400',
  replacement: '3200',
  remaining: '5',
  life: '8',
  without: '0',
})
const use = reactive<{ as: 'reference' | 'decision' | 'indication'; demanded: boolean }>({
  as: 'decision',
  demanded: false,
})
const { currency, price } = usePrices()
const fields = computed<{ key: keyof typeof form; label: string; unit?: string }[]>(() => [
  { key: 'per_year', label: 'Calibrations', unit: 'a year' },
  { key: 'tur', label: 'Limit over the reference’s U' },
  { key: 'least_tur', label: 'Ratio wanted' },
  { key: 'accredited', label: 'Accredited, each', unit: currency.value },
  { key: 'in_house', label: 'In house, each', unit: currency.value },
  { key: 'failures', label: 'Failures', unit: 'a year' },
  { key: 'repair', label: 'Repair, each', unit: currency.value },
  { key: 'replacement', label: 'Price of a new one', unit: currency.value },
  { key: 'remaining', label: 'This one serves', unit: 'years' },
  { key: 'life', label: 'A new one serves', unit: 'years' },
  { key: 'without', label: 'A year without it; 0: not to be done without', unit: currency.value },
])
const input = computed(() => {
  const values = Object.fromEntries(Object.entries(form).map(([k, v]) => [k, numberIn(v)])) as Record<
    keyof typeof form,
    number
  >
  return Object.values(values).every(Number.isFinite) ? { ...values, use: use.as, demanded: use.demanded } : undefined
})
const { result, problem } = useWorking('economics', input, (body) =>
  answer(api.POST('/api/workings/economics', { body })),
)
</script>

<template>
  <WorkingSheet
    title="Worth calibrating?"
    about="Accredited, in house, replace, or do without: what each costs a year, and which will do."
    :problem="problem"
    :formula="result?.formula"
    :source="result?.source"
  >
    <template #in>
      <div v-if="known" class="mb-4 border-l-4 border-petrol bg-petrol-wash px-3 py-2">
        <p class="font-semibold">
          <RouterLink class="num underline" :to="{ name: 'device', params: { id: known.tag } }">{{
            known.tag
          }}</RouterLink>
          {{ known.device }}: from its record
        </p>
        <ul class="text-sm">
          <li v-for="k in known.known" :key="k.field">{{ k.from }}</li>
        </ul>
        <p class="text-sm text-ink-2">The rest are examples: put your own figures in their place.</p>
      </div>
      <label class="block"
        ><span class="label">Its result is</span>
        <select v-model="use.as" name="use" class="field">
          <option value="reference">a reference for others</option>
          <option value="decision">what a diagnosis or a treatment follows from</option>
          <option value="indication">an indication only</option>
        </select></label
      >
      <label class="mt-2 flex min-h-11 items-center gap-3"
        ><input v-model="use.demanded" type="checkbox" class="size-5 accent-ink" /> An accredited certificate is
        demanded</label
      >
      <div class="mt-2 grid sm:grid-cols-2 gap-3">
        <NumberField
          v-for="f in fields"
          :key="f.key"
          v-model="form[f.key]"
          :label="f.label"
          :unit="f.unit"
          :name="f.key"
        />
      </div>
    </template>
    <template #out>
      <p class="text-xl font-semibold">{{ result?.sentence }}</p>
      <table class="mt-4 w-full text-left">
        <tbody class="rows border-y border-line">
          <tr v-for="o in result?.options" :key="o.name" :class="o.name === result?.take && 'bg-petrol-wash'">
            <th scope="row" class="py-2 pl-2">{{ o.name }}</th>
            <td class="num text-right text-lg">{{ o.yearly ? `${price(o.yearly)} a year` : '–' }}</td>
            <td class="py-2 pl-4 text-ink-2">
              {{ o.parts }}<span v-if="o.not" class="block font-semibold text-vermilion">will not do: {{ o.not }}</span>
            </td>
          </tr>
        </tbody>
      </table>
    </template>
  </WorkingSheet>
</template>
