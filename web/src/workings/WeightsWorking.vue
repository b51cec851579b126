<script setup lang="ts">
import { computed, reactive } from 'vue'
import NumberField from '../components/NumberField.vue'
import WorkingSheet from './WorkingSheet.vue'
import { answer, api } from '../api/client'
import { numberIn, significant } from '../composables/words'
import { useWorking } from './useWorking'

/** What to load from a kit, and how far off a scale may be there by each school. */
const form = reactive({ pieces: '20 20 20 20 20\n10 5 5 2 2 1', target: '50', capacity: '200', division: '0.1' })
const input = computed(() => {
  const [target_kg, capacity_kg, division_kg] = [form.target, form.capacity, form.division].map(numberIn)
  return [target_kg, capacity_kg, division_kg].every(Number.isFinite)
    ? { pieces: form.pieces, target_kg: target_kg!, capacity_kg: capacity_kg!, division_kg: division_kg! }
    : undefined
})
const { result, problem } = useWorking('weights', input, (body) => answer(api.POST('/api/workings/weights', { body })))
</script>

<template>
  <WorkingSheet
    title="Weights and limits"
    about="The pieces of a kit that come nearest to a load, and the limits of a class III scale there."
    :problem="problem"
    :formula="result?.formula"
    :source="result?.source"
  >
    <template #in>
      <label class="block">
        <span class="label">Pieces of the kit, kg</span>
        <textarea v-model="form.pieces" name="pieces" rows="3" class="field num"></textarea>
      </label>
      <div class="mt-4 grid grid-cols-1 gap-3">
        <NumberField v-model="form.target" label="Load wanted" unit="kg" name="target" />
        <NumberField v-model="form.capacity" label="Capacity, from the plate" unit="kg" name="capacity" />
        <NumberField v-model="form.division" label="Division, from the plate" unit="kg" name="division" />
      </div>
    </template>
    <template #out>
      <p class="text-xl font-semibold">{{ result?.do }}</p>
      <p class="num text-[2.625rem] leading-tight">{{ significant(result?.load_kg ?? 0, 6) }} kg</p>
      <p class="text-ink-2">
        <span class="num">{{ significant(result?.divisions ?? 0, 6) }}</span> divisions,
        <span class="num">{{ significant(result?.share ?? 0, 3) }}</span> % of the capacity, or
        <span class="num">{{ result?.load_lb.toFixed(2) }}</span> lb. A scale that gives a dose is locked to kg.
      </p>
      <table class="mt-4 w-full max-w-md text-left">
        <tr v-for="l in result?.limits" :key="l.title" class="border-t border-line">
          <th scope="row" class="py-1 font-normal">{{ l.title }}</th>
          <td class="num text-right">± {{ significant(l.limit_kg, 3) }} kg</td>
        </tr>
      </table>
    </template>
  </WorkingSheet>
</template>
