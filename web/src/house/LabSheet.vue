<script setup lang="ts">
import { reactive, watch } from 'vue'
import FormOutcome from '../components/FormOutcome.vue'
import { api } from '../api/client'
import { useSession } from '../composables/useSession'
import { useHouse, type House } from './useHouse'

/** How the lab judges: decision rule, adjustment, review, and whose tolerances decide. */
const { data, problem, saved, change } = useHouse()
const { can } = useSession()
const lab = reactive<{ value?: House['lab'] }>({})
watch(
  data,
  (d) => {
    if (!d || lab.value) return
    const copy = JSON.parse(JSON.stringify(d.lab)) as House['lab']
    copy.room = { temperature: copy.room?.temperature ?? 'Cel', pressure: copy.room?.pressure ?? 'hPa' }
    copy.conventions = { co2_basis: '', ...copy.conventions }
    lab.value = copy
  },
  { immediate: true },
)
const rules = [
  { id: 'simple', words: 'simple acceptance: inside the limit, with a floor for the uncertainty ratio' },
  { id: 'guarded', words: 'guarded acceptance: inside the limit by U' },
  { id: 'risk', words: 'by probability of conformance' },
]
const policies = [
  { id: 'threshold', words: 'adjust beyond a share of the limit' },
  { id: 'nominal', words: 'adjust to nominal every time an error stands out' },
  { id: 'calendar', words: 'adjust whenever it is due' },
  { id: 'measure-only', words: 'measure and change nothing' },
]
const reviews = ['never', 'on failure', 'always']
function school(title: string) {
  const l = lab.value!
  const all = l.schools ?? []
  l.schools = all.includes(title) ? all.filter((s) => s !== title) : [...all, title]
}
const save = () =>
  change(() => api.POST('/api/house/lab', { body: lab.value! }), 'Kept. Runs opened from now on judge so.')
</script>

<template>
  <form v-if="lab.value && data" class="max-w-3xl" @submit.prevent="save">
    <FormOutcome :saved="saved" :problem="problem" />
    <fieldset :disabled="!can('set rules')" class="grid gap-4">
      <label class="block"
        ><span class="label">Name, as it stands on certificates</span
        ><input v-model="lab.value.name" name="name" class="field"
      /></label>
      <div class="grid sm:grid-cols-[1fr_180px] gap-4">
        <label class="block"
          ><span class="label">Decision rule</span>
          <select v-model="lab.value.rule.kind" name="rule" class="field">
            <option v-for="r in rules" :key="r.id" :value="r.id">{{ r.words }}</option>
          </select></label
        >
        <label v-if="lab.value.rule.kind === 'simple'" class="block"
          ><span class="label">Least tolerance ÷ U (TUR)</span
          ><input v-model.number="lab.value.rule.tur_floor" type="number" step="0.5" min="1" class="field num"
        /></label>
        <label v-else-if="lab.value.rule.kind === 'risk'" class="block"
          ><span class="label">Least probability</span
          ><input
            v-model.number="lab.value.rule.probability"
            type="number"
            step="0.005"
            min="0.5"
            max="0.999"
            class="field num"
        /></label>
      </div>
      <div class="grid sm:grid-cols-[1fr_180px_180px] gap-4">
        <label class="block"
          ><span class="label">Adjustment</span>
          <select v-model="lab.value.policy.school" name="policy" class="field">
            <option v-for="p in policies" :key="p.id" :value="p.id">{{ p.words }}</option>
          </select></label
        >
        <label class="block"
          ><span class="label">Share of the limit</span
          ><input
            v-model.number="lab.value.policy.threshold"
            name="threshold"
            type="number"
            step="0.05"
            min="0.05"
            max="1"
            class="field num"
        /></label>
        <label class="block"
          ><span class="label">Rounds at most</span
          ><input v-model.number="lab.value.policy.max_rounds" type="number" min="1" max="20" class="field num"
        /></label>
      </div>
      <label class="block max-w-80"
        ><span class="label">A second person countersigns</span>
        <select v-model="lab.value.review" name="review" class="field">
          <option v-for="r in reviews" :key="r">{{ r }}</option>
        </select></label
      >
      <div class="grid sm:grid-cols-[180px_180px_1fr] gap-4">
        <label class="block"
          ><span class="label">Room temperature in</span>
          <select v-model="lab.value.room!.temperature" name="temperature" class="field">
            <option value="Cel">°C</option>
            <option value="[degF]">°F</option>
          </select></label
        >
        <label class="block"
          ><span class="label">Room pressure in</span>
          <select v-model="lab.value.room!.pressure" name="pressure" class="field">
            <option value="hPa">hPa</option>
            <option value="kPa">kPa</option>
            <option value="mm[Hg]">mmHg</option>
          </select></label
        >
        <label class="block"
          ><span class="label">CO₂ as a pressure, where a device’s own is not recorded</span>
          <select v-model="lab.value.conventions!.co2_basis" name="co2_basis" class="field">
            <option value="">none: it is asked for at the device</option>
            <option value="ambient-dry">dry fraction of the whole room pressure</option>
            <option value="btps">less water vapour at 37 °C</option>
          </select></label
        >
      </div>
      <div>
        <span class="label">Whose tolerances decide, where a procedure knows several</span>
        <label v-for="s in data.schools" :key="s" class="flex min-h-11 items-center gap-3">
          <input
            type="checkbox"
            class="size-5 accent-ink"
            :checked="lab.value.schools?.includes(s)"
            @change="school(s)"
          />{{ s }}
        </label>
        <p class="text-sm text-ink-2">Without a mark the procedure’s own decides; the others stand beside it.</p>
      </div>
    </fieldset>
    <button v-if="can('set rules')" class="btn btn-main mt-5">Keep</button>
    <p v-else class="mt-5 text-ink-2">A lead changes these.</p>
  </form>
</template>
