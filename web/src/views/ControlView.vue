<script setup lang="ts">
import { computed, reactive, ref, watch } from 'vue'
import { useRouter } from 'vue-router'
import { useQuery } from '@tanstack/vue-query'
import QueryState from '../components/QueryState.vue'
import NewControlLot from '../control/NewControlLot.vue'
import ControlChart from '../control/ControlChart.vue'
import { api } from '../api/client'
import { newId } from '../composables/useRun'
import { useSession } from '../composables/useSession'
import { localDay, localTime, significant } from '../composables/words'
import AlertNote from '../components/AlertNote.vue'
import { queries, useCached } from '../api/queries'
import { useSend } from '../composables/useSend'

/** Controls of the analysers: what stands rejected, the chart of one analyte, and today's run. */
const props = defineProps<{ asset?: string; analyte?: string }>()
const { refresh } = useCached()
const { can } = useSession()
const { data: states, error, refetch } = useQuery(queries.controls())
const at = computed(() => {
  const first = states.value?.[0]
  const chosen = states.value?.find((s) => s.asset === props.asset && (!props.analyte || s.analyte === props.analyte))
  return chosen ?? first
})
/** Which one is looked at stands in the address: a run that is recorded changes which stands first. */
const router = useRouter()
watch(
  at,
  (s) => {
    if (!s || (s.asset === props.asset && s.analyte === props.analyte)) return
    router.replace({ name: 'control', params: { asset: s.asset, analyte: s.analyte } })
  },
  { immediate: true },
)
const days = ref(90)
const { data: chart } = useQuery(
  queries.controlChart(
    computed(() => at.value && { asset: at.value.asset, analyte: at.value.analyte }),
    days,
  ),
)
const values = reactive<Record<string, string>>({})
const note = ref('')
const action = ref('')
const { trouble, send, refuse, clear } = useSend()
const run = ref(newId())
const opening = ref(false)
watch(
  () => chart.value?.asset + ' ' + chart.value?.analyte,
  () => {
    for (const key of Object.keys(values)) delete values[key]
    clear()
  },
)
async function record() {
  if (!chart.value) return
  const typed = chart.value.levels.filter((l) => values[l.lot_id]?.trim())
  if (!typed.length) return refuse('Type what the analyser shows, for at least one level.')
  const params = { path: { asset: chart.value.asset } }
  const body = {
    id: run.value,
    analyte: chart.value.analyte,
    note: note.value,
    action: action.value,
    values: typed.map((l) => ({ lot_id: l.lot_id, text: values[l.lot_id]! })),
  }
  if (!(await send(() => api.POST('/api/controls/{asset}', { params, body })))) return
  run.value = newId()
  note.value = action.value = ''
  for (const key of Object.keys(values)) delete values[key]
  await refresh('controls', 'controlChart')
}
const ranges = [
  { days: 90, words: '3 months' },
  { days: 365, words: 'a year' },
  { days: 730, words: '2 years' },
]
const mark = (s: { rejected: boolean; warning: boolean }) =>
  s.rejected
    ? { sign: '◆', words: 'rejected', tint: 'text-vermilion' }
    : s.warning
      ? { sign: '◐', words: 'warning', tint: 'text-brass' }
      : { sign: '●', words: 'accepted', tint: 'text-petrol' }
</script>

<template>
  <main v-if="states" class="mx-auto grid max-w-[1400px] gap-6 p-4 sm:p-6 lg:grid-cols-[230px_minmax(0,1fr)]">
    <nav aria-label="Analysers">
      <h1 class="text-3xl">Control</h1>
      <ul class="rows mt-3 border-t-2 border-ink">
        <li v-for="s in states" :key="s.asset + s.analyte">
          <RouterLink
            class="block min-h-11 py-2 pl-2 hover:bg-brass-wash"
            :class="s === at && 'border-l-4 border-brass bg-sheet'"
            :to="{ name: 'control', params: { asset: s.asset, analyte: s.analyte } }"
          >
            <span class="flex flex-wrap items-baseline gap-2 font-semibold">
              {{ s.analyte }}
              <span class="ml-auto pr-2 text-sm" :class="mark(s).tint">{{ mark(s).sign }} {{ mark(s).words }}</span>
            </span>
            <span class="block text-sm text-ink-2"
              ><span class="num">{{ s.asset }}</span> {{ s.device }}</span
            >
          </RouterLink>
        </li>
      </ul>
      <p v-if="!states.length" class="mt-3 text-ink-2">No analyser is controlled yet.</p>
    </nav>
    <section v-if="chart" :aria-label="`Controls of ${chart.analyte}`">
      <div class="flex flex-wrap items-baseline gap-x-4">
        <h2 class="text-2xl">
          {{ chart.analyte }} <span class="num text-lg font-medium">{{ chart.asset }}</span>
        </h2>
        <span class="text-ink-2">{{ chart.device }}</span>
        <span class="ml-auto flex gap-1" role="group" aria-label="How far back">
          <button
            v-for="r in ranges"
            :key="r.days"
            class="btn btn-quiet"
            :class="days === r.days && 'border-b-4 border-brass font-bold'"
            :aria-pressed="days === r.days"
            @click="days = r.days"
          >
            {{ r.words }}
          </button>
        </span>
      </div>
      <p
        class="mt-2 border-l-4 px-4 py-2 text-[1.0625rem]"
        :class="chart.blocked ? 'border-vermilion bg-vermilion-wash' : 'border-petrol bg-petrol-wash'"
        role="status"
      >
        <b v-if="chart.blocked">No patient work on this analyser. </b>{{ chart.words }}
        <template v-if="chart.blocked && chart.last_good">
          Results since {{ localDay(chart.last_good) }}, {{ localTime(chart.last_good) }}, when controls were last
          accepted, are in doubt.</template
        >
      </p>
      <p
        v-if="chart.calibration"
        class="mt-2 border-l-4 px-4 py-2"
        :class="chart.calibration.stops ? 'border-vermilion bg-vermilion-wash' : 'border-line bg-sheet'"
      >
        <b>Calibration of {{ chart.analyte }}.</b> {{ chart.calibration.words }}.
        <template v-if="chart.calibration.stops">No patient samples before it is calibrated again. </template>
        <span v-else class="text-ink-2">{{ chart.calibration.reason }}</span>
        <RouterLink class="ml-2 underline" :to="{ name: 'device', params: { id: chart.asset } }"
          >The analyser</RouterLink
        >
      </p>
      <ControlChart v-for="l in chart.levels" :key="l.level" class="mt-3" :level="l" :runs="chart.runs" :days="days" />
      <form class="mt-4 border-2 border-ink bg-sheet p-4" @submit.prevent>
        <div class="flex flex-wrap items-baseline gap-4">
          <h3 class="text-lg">Control run now</h3>
          <button v-if="can('enter lots')" type="button" class="ml-auto min-h-11 underline" @click="opening = true">
            Open a new lot …
          </button>
        </div>
        <div class="mt-2 flex flex-wrap items-end gap-4">
          <label v-for="l in chart.levels" :key="l.lot_id">
            <span class="label"
              >Level {{ l.level }}, lot <span class="num">{{ l.lot }}</span><b v-if="l.expired" class="text-vermilion">
                expired</b
              ></span
            >
            <span class="flex flex-wrap items-baseline gap-1">
              <input
                v-model="values[l.lot_id]"
                :name="`level-${l.level}`"
                inputmode="decimal"
                autocomplete="off"
                class="field num w-28 text-2xl"
                @keydown.enter.prevent="record"
              />
              <span class="text-ink-2">{{ l.unit }}</span>
            </span>
            <span class="block text-sm text-ink-2"
              >mean <span class="num">{{ significant(l.mean, 4) }}</span> ± 2 SD
              <span class="num">{{ significant(2 * l.sd, 2) }}</span></span
            >
          </label>
          <label class="min-w-56 grow">
            <span class="label">Done before it, if anything: the series begins anew</span>
            <input v-model="action" name="action" class="field" maxlength="200" @keydown.enter.prevent="record" />
          </label>
          <label class="min-w-48 grow">
            <span class="label">Note</span>
            <input v-model="note" name="note" class="field" @keydown.enter.prevent="record" />
          </label>
          <button v-if="can('record controls')" type="button" class="btn btn-main" @click="record">
            Record <kbd>Enter</kbd>
          </button>
        </div>
        <AlertNote class="mt-2" :words="trouble" />
      </form>
    </section>
  </main>
  <NewControlLot v-if="chart && opening" :chart="chart" @close="opening = false" />
  <QueryState v-if="!states" :error="error" what="controls" @again="refetch()" />
</template>
