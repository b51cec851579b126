<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import WhatIfCurve from './WhatIfCurve.vue'
import { api } from '../api/client'
import type { components } from '../api/schema.gen'
import { newId } from '../composables/useRun'
import { useSession } from '../composables/useSession'
import { significant } from '../composables/words'
import AlertNote from '../components/AlertNote.vue'
import { useCached } from '../api/queries'
import { useSend } from '../composables/useSend'

/** A recommendation with its ways and what-if curve; a lead accepts it, or another. */
const props = defineProps<{
  view: components['schemas']['IntervalView']
  model?: { maker: string; model: string; procedure: string }
  activity?: string
}>()
const { refresh } = useCached()
const { can } = useSession()
const days = ref(String(props.view.days))
const why = ref(props.view.sentence)
const { trouble, send } = useSend()
const done = ref('')
watch(
  () => props.view,
  (v) => {
    days.value = String(v.days)
    why.value = v.sentence
  },
)
const ways: Record<string, string> = {
  risk: 'Risk',
  fixed: 'Rule',
  staircase: 'Staircase',
  drift: 'Own drift',
  reliability: 'Reliability of the model',
}
const percent = (v: number) => `${significant(100 * v, 2)} %`
const known = computed(() => props.view.curve.length > 1)
/** What would have to be looked back on, for the interval of the curve that is nearest to the one typed. */
const recall = computed(() => {
  const typed = Number(days.value) || props.view.days
  const away = (d: number) => Math.abs(d - typed)
  return [...props.view.curve].sort((a, b) => away(a.days) - away(b.days))[0]?.recall
})
async function accept() {
  done.value = ''
  const body = { id: newId(), days: Math.round(Number(days.value)) || 0, sentence: why.value }
  const { model, activity } = props
  const accepted = await send(() =>
    model
      ? api.POST('/api/intervals/model', { params: { query: model }, body })
      : api.POST('/api/activities/{id}/interval', { params: { path: { id: activity! } }, body }),
  )
  if (!accepted) return
  done.value = `${body.days} days are in force; every due day was computed anew.`
  await refresh('intervals', 'interval', 'asset', 'today')
}
</script>

<template>
  <section :aria-label="view.subject">
    <h2 class="text-2xl">{{ view.subject }}</h2>
    <p class="mt-2 border-l-4 border-brass bg-brass-wash px-4 py-3 text-lg">{{ view.sentence }}</p>
    <table class="mt-4 w-full text-left">
      <tbody class="rows border-y border-line">
        <tr v-for="f in view.found" :key="f.way" :class="f.way === view.way && 'bg-sheet'">
          <th scope="row" class="w-52 py-2 pl-2 align-top" :class="f.way === view.way ? 'font-bold' : 'font-normal'">
            {{ ways[f.way] ?? f.way }}<span v-if="f.way === view.way" class="block text-sm font-normal">decides</span>
          </th>
          <td class="num w-24 py-2 text-right align-top">{{ f.days ? `${f.days} d` : '–' }}</td>
          <td class="py-2 pl-4 align-top text-ink-2">{{ f.words }}.</td>
        </tr>
      </tbody>
    </table>
    <template v-if="known">
      <h3 class="mt-5 text-lg">What another interval would mean</h3>
      <p class="text-sm text-ink-2">
        Brass: recommended. Open: now.
        {{ view.bound ? 'Nothing was found out yet: these are upper bounds.' : '' }} Computed from
        {{ view.records }} verifications, {{ view.out }} found out: an estimate.
      </p>
      <div class="mt-2 grid sm:grid-cols-3 gap-5 border-2 border-ink bg-sheet p-4">
        <WhatIfCurve
          title="Found out at its end"
          :curve="view.curve"
          :pick="(c) => c.out"
          :words="percent"
          :current="view.current"
          :recommended="view.days"
        />
        <WhatIfCurve
          title="Device-days a year out unnoticed"
          :curve="view.curve"
          :pick="(c) => c.exposure"
          :words="(v) => significant(v, 2)"
          :current="view.current"
          :recommended="view.days"
        />
        <WhatIfCurve
          title="Hours of work a year"
          :curve="view.curve"
          :pick="(c) => c.hours"
          :words="(v) => significant(v, 2)"
          :current="view.current"
          :recommended="view.days"
        />
      </div>
    </template>
    <p v-else class="mt-4 text-ink-2">Too little is known of this model to say what another interval would mean.</p>
    <p v-if="recall" class="mt-4 max-w-[72ch] border-l-4 border-brass bg-brass-wash px-3 py-2">{{ recall }}</p>
    <form v-if="can('set intervals')" class="mt-5 flex flex-wrap items-end gap-4" @submit.prevent="accept">
      <label
        ><span class="label">Interval</span>
        <span class="flex flex-wrap items-baseline gap-2">
          <input v-model="days" name="days" inputmode="numeric" class="field num w-28 text-2xl" /> days
        </span></label
      >
      <label class="min-w-80 grow"
        ><span class="label">Why</span><input v-model="why" name="why" class="field" maxlength="1000"
      /></label>
      <button class="btn btn-main">{{ view.devices > 1 ? `Accept for ${view.devices} devices` : 'Accept' }}</button>
    </form>
    <p v-else class="mt-4 text-ink-2">A lead accepts it, or another with a reason.</p>
    <p v-if="done" class="mt-3 border-l-4 border-petrol bg-petrol-wash px-3 py-2" role="status">{{ done }}</p>
    <AlertNote class="mt-3" :words="trouble" />
  </section>
</template>
