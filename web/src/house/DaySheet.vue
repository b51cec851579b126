<script setup lang="ts">
import { reactive, watch } from 'vue'
import FormOutcome from '../components/FormOutcome.vue'
import { api } from '../api/client'
import ClockField from '../components/ClockField.vue'
import { useSession } from '../composables/useSession'
import { useHouse, type House } from './useHouse'
import SectionTitle from '../components/SectionTitle.vue'
import DataTable from '../components/DataTable.vue'

/** When people work, where the sites are and when they can be reached. */
const { data, problem, saved, change } = useHouse()
const { can } = useSession()
const day = reactive<{ value?: House['day'] }>({})
watch(
  data,
  (d) => {
    if (!d || day.value) return
    const copy = JSON.parse(JSON.stringify(d.day)) as House['day']
    copy.sites ??= []
    for (const name of d.sites) if (!copy.sites.some((s) => s.name === name)) copy.sites.push({ name, travel: 0 })
    day.value = copy
  },
  { immediate: true },
)
const weekdays = ['Mo', 'Tu', 'We', 'Th', 'Fr', 'Sa', 'Su']
type Site = NonNullable<House['day']['sites']>[number]
function weekday(s: Site, n: number) {
  const all = s.weekdays?.length ? s.weekdays : [1, 2, 3, 4, 5, 6, 7]
  const next = all.includes(n) ? all.filter((w) => w !== n) : [...all, n].sort()
  s.weekdays = next.length === 7 || !next.length ? [] : next
}
const reached = (s: Site, n: number) => !s.weekdays?.length || s.weekdays.includes(n)
const hands = [
  { key: 'Bring', words: 'fetching one reference' },
  { key: 'Step', words: 'a step that is done or answered' },
  { key: 'Record', words: 'a page of entries' },
  { key: 'Typed', words: 'a reading typed' },
  { key: 'Linked', words: 'a reading over the link' },
  { key: 'Finding', words: 'a finding' },
  { key: 'Sign', words: 'signing' },
  { key: 'Unknown', words: 'a whole job without a procedure' },
] as const
const rounds = [
  { key: 'ahead', words: 'Jobs may be done so many days early', min: 0, max: 120 },
  { key: 'jobs', words: 'Jobs a day for each person', min: 1, max: 40 },
  { key: 'forward', words: 'Brought forward by at most, % of the interval', min: 0, max: 50 },
] as const
/** A height that was emptied is not known. */
const height = (s: Site) => (typeof s.height === 'number' ? { ...s } : { ...s, height: undefined })
const save = () => {
  const body = { ...day.value!, sites: (day.value!.sites ?? []).map(height) }
  return change(() => api.POST('/api/house/day', { body }), 'Kept. Rounds are planned by it from now on.')
}
</script>

<template>
  <form v-if="day.value && data" class="max-w-[1230px]" @submit.prevent="save">
    <FormOutcome :saved="saved" :problem="problem" />
    <p v-if="!can('set hours')" class="mb-3 text-ink-2">A lead or a manager changes these.</p>
    <fieldset :disabled="!can('set hours')" class="grid gap-6">
      <div class="grid gap-4 sm:grid-cols-6">
        <label><span class="label">Day begins</span><ClockField v-model="day.value.from" name="from" /></label>
        <label><span class="label">Day ends</span><ClockField v-model="day.value.until" name="until" /></label>
        <label
          ><span class="label">Workshop at</span>
          <select v-model="day.value.home" name="home" class="field">
            <option v-for="s in day.value.sites" :key="s.name">{{ s.name }}</option>
          </select></label
        >
        <label
          ><span class="label">Between two places, min</span
          ><input v-model.number="day.value.within" type="number" name="within" min="0" max="240" class="field num"
        /></label>
        <label
          ><span class="label">A page locks after, min</span
          ><input v-model.number="day.value.idle" type="number" name="idle" min="1" max="480" class="field num"
        /></label>
        <label
          ><span class="label">Hours a month</span
          ><input
            v-model.number="day.value.capacity"
            type="number"
            name="capacity"
            min="1"
            step="any"
            class="field num"
        /></label>
        <label
          ><span class="label">A duty may be late, days</span
          ><input v-model.number="day.value.grace" type="number" name="grace" min="0" max="365" class="field num"
        /></label>
        <label
          ><span class="label">A move counts from, m of height</span
          ><input v-model.number="day.value.rise" type="number" name="rise" min="1" max="6000" class="field num"
        /></label>
      </div>
      <div>
        <SectionTitle>Sites, and when they can be reached</SectionTitle>
        <DataTable wide :columns="['site', 'height, m', 'way, min', 'on', 'there from', 'until', 'why']">
          <tr v-for="(s, n) in day.value.sites" :key="s.name">
            <th scope="row" class="min-w-44 py-2 pr-3 font-semibold">{{ s.name }}</th>
            <td>
              <input
                v-model.number="s.height"
                :name="`sites[${n}].height`"
                type="number"
                min="-400"
                max="6000"
                class="field num w-24"
                :aria-label="`Height of ${s.name} above the sea, m`"
              />
            </td>
            <td class="py-1 pr-3">
              <input
                v-model.number="s.travel"
                :name="`sites[${n}].travel`"
                type="number"
                min="0"
                max="1440"
                class="field num w-24"
                :aria-label="`Way to ${s.name} in minutes`"
              />
            </td>
            <td class="py-1 pr-3">
              <span class="inline-flex flex-wrap"
                ><button
                  v-for="(w, i) in weekdays"
                  :key="w"
                  type="button"
                  class="size-11 border text-sm"
                  :class="reached(s, i + 1) ? 'border-ink bg-petrol-wash font-semibold' : 'border-line text-ink-2'"
                  :aria-pressed="reached(s, i + 1)"
                  :aria-label="`${s.name} on ${w}`"
                  @click="weekday(s, i + 1)"
                >
                  {{ w }}
                </button></span
              >
            </td>
            <td class="py-1 pr-3">
              <ClockField
                v-model="s.from"
                :name="`sites[${n}].from`"
                class="w-32"
                placeholder="any time"
                :aria-label="`First minute at ${s.name}`"
              />
            </td>
            <td class="py-1 pr-3">
              <ClockField
                v-model="s.until"
                :name="`sites[${n}].until`"
                class="w-32"
                placeholder="any time"
                :aria-label="`Last minute at ${s.name}`"
              />
            </td>
            <td class="w-full py-1">
              <input v-model="s.why" class="field w-full" maxlength="200" :aria-label="`Why ${s.name} is so`" />
            </td>
          </tr>
        </DataTable>
        <p class="mt-1 text-sm text-ink-2">Sites come from the devices in the register.</p>
      </div>
      <div>
        <SectionTitle>Hands, in minutes</SectionTitle>
        <p class="py-1 text-sm text-ink-2">What estimates of a run’s length are made of.</p>
        <div class="grid gap-4 sm:grid-cols-4">
          <label v-for="h in hands" :key="h.key"
            ><span class="label">{{ h.words }}</span
            ><input v-model.number="day.value.hands[h.key]" type="number" min="0" max="60" step="any" class="field num"
          /></label>
        </div>
      </div>
      <div>
        <SectionTitle>How days and the year are filled</SectionTitle>
        <div class="grid gap-4 pt-2 sm:grid-cols-3">
          <label v-for="r in rounds" :key="r.key"
            ><span class="label">{{ r.words }}</span
            ><input
              v-model.number="day.value.rounds[r.key]"
              type="number"
              :name="`rounds.${r.key}`"
              :min="r.min"
              :max="r.max"
              class="field num"
          /></label>
        </div>
      </div>
    </fieldset>
    <button v-if="can('set hours')" class="btn btn-main mt-5">Keep</button>
  </form>
</template>
