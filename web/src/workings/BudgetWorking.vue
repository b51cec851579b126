<script setup lang="ts">
import { computed, ref, watchEffect } from 'vue'
import { useRoute } from 'vue-router'
import { useQuery } from '@tanstack/vue-query'
import BudgetTable from './BudgetTable.vue'
import WorkingSheet from './WorkingSheet.vue'
import { answer, api, type Budget } from '../api/client'
import { numberIn } from '../composables/words'
import { useWorking } from './useWorking'
import { queries } from '../api/queries'

/** A budget of one's own, or the one of a run's point, to be played with. */
const route = useRoute()
const kinds = ['normal', 'rectangular', 'triangular', 'u-shaped'] as const
interface Row {
  name: string
  distribution: (typeof kinds)[number]
  width: string
  k: string
  c: string
  dof: string
}
const rows = ref<Row[]>([
  { name: 'Reference, from its certificate', distribution: 'normal', width: '0.05', k: '2', c: '1', dof: '' },
  { name: 'Resolution of the display', distribution: 'rectangular', width: '0.005', k: '', c: '1', dof: '' },
  { name: 'Repeatability of 5 readings, s/√n', distribution: 'normal', width: '0.004', k: '1', c: '1', dof: '4' },
])
const percent = ref('95.45')

const from = computed(() => route.query as { run?: string; measure?: string; point?: string })
const { data: run } = useQuery(queries.run(() => from.value.run))
const source = computed(() => {
  const m = run.value?.measures.find((x) => x.id === from.value.measure)
  const p = m?.points.find((x) => x.id === from.value.point)
  const v = p?.left ?? p?.found
  return m && p && v
    ? { words: `${run.value!.device.tag}, ${m.title} ${p.label}`, budget: v.budget, unit: m.shown }
    : undefined
})
watchEffect(() => {
  if (!source.value) return
  rows.value = (source.value.budget.lines ?? []).map((l: NonNullable<Budget['lines']>[number]) => ({
    name: l.name,
    distribution: l.distribution as Row['distribution'],
    width: String(Number(l.width.toPrecision(6))),
    k: l.k ? String(l.k) : '',
    c: String(Number((l.sensitivity ?? 1).toPrecision(6))),
    dof: l.dof ? String(l.dof) : '',
  }))
})

const input = computed(() => {
  const coverage = numberIn(percent.value) / 100
  const terms = rows.value.map((r) => ({
    name: r.name,
    distribution: r.distribution,
    width: numberIn(r.width),
    k: r.k ? numberIn(r.k) : undefined,
    sensitivity: r.c ? numberIn(r.c) : undefined,
    dof: r.dof ? numberIn(r.dof) : undefined,
  }))
  const numbers = [coverage, ...terms.flatMap((t) => [t.width, t.k ?? 0, t.sensitivity ?? 0, t.dof ?? 0])]
  return numbers.every(Number.isFinite) && terms.length ? { terms, coverage } : undefined
})
const { result, problem } = useWorking('budget', input, (body) => answer(api.POST('/api/workings/budget', { body })))
const add = () => rows.value.push({ name: '', distribution: 'rectangular', width: '', k: '', c: '1', dof: '' })
</script>

<template>
  <WorkingSheet
    title="Uncertainty budget"
    :about="
      source
        ? `The budget of ${source.words}. Change a term and see what it would do.`
        : 'Each term with its distribution; U for a normal one, the half-width for the others.'
    "
    :problem="problem"
    :formula="result?.formula"
    :source="result?.source"
  >
    <template #in>
      <div v-for="(r, i) in rows" :key="i" class="mb-3 border-b border-line pb-3">
        <input v-model="r.name" class="field mb-2" :aria-label="`Name of term ${i + 1}`" placeholder="what it is" />
        <div class="grid grid-cols-[1.5fr_1fr_0.7fr_0.9fr_0.7fr] gap-2">
          <label>
            <span class="label">Distribution</span>
            <select v-model="r.distribution" class="field">
              <option v-for="k in kinds" :key="k" :value="k">{{ k === 'u-shaped' ? 'arcsine' : k }}</option>
            </select>
          </label>
          <label
            ><span class="label">{{ r.distribution === 'normal' ? 'U' : '± half' }}</span>
            <input v-model="r.width" class="field num" :name="`width-${i}`"
          /></label>
          <label
            ><span class="label">k</span>
            <input v-model="r.k" class="field num" :disabled="r.distribution !== 'normal'"
          /></label>
          <label><span class="label">c</span><input v-model="r.c" class="field num" /></label>
          <label><span class="label">dof</span><input v-model="r.dof" class="field num" placeholder="∞" /></label>
        </div>
        <button class="btn btn-quiet -mb-2" :disabled="rows.length < 2" @click="rows.splice(i, 1)">Take it out</button>
      </div>
      <div class="flex flex-wrap items-end gap-4">
        <button class="btn" @click="add">One more term</button>
        <label class="w-32"><span class="label">Coverage, %</span><input v-model="percent" class="field num" /></label>
      </div>
    </template>
    <template #out>
      <BudgetTable v-if="result" :budget="result" :unit="source?.unit" />
    </template>
  </WorkingSheet>
</template>
