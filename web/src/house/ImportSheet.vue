<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import ImportOutcome from './ImportOutcome.vue'
import ReadBack from './ReadBack.vue'
import { api } from '../api/client'
import { useSession } from '../composables/useSession'
import AlertNote from '../components/AlertNote.vue'
import { useImport } from '../composables/useImport'

/** Lists in and out: a list is read first; what it changes is shown, and every row that cannot be taken says why. */
const props = defineProps<{ first?: string }>()
const { can } = useSession()
const kinds = [
  {
    id: 'assets' as const,
    words: 'Devices',
    needed: 'tag, maker, model, family, site',
    more: 'serial, place, owner, keeper, risk, status, last_done, months, next_due, software, set_up, supplier, bought, price, warranty',
    note: 'last_done, months and next_due are of its main verification: when it was done last, how often, and the day it is due.',
  },
  {
    id: 'standards' as const,
    words: 'References',
    needed: 'tag, name, kind, certificate, issuer, certified, due',
    more: 'quantity, piece, value or from and to, unit, u, k, drift_per_year, resolution, status, note, maker, serial, place, lot, accredited, parent, water_volume_l, gauge_bar, reserve_bar, away_to, away_since, away_until, away_price, check_days, check_how, checked_on',
    note: 'One row for each value of each certificate: rows of one tag are one reference, and come in together.',
  },
  {
    id: 'histories' as const,
    words: 'Histories',
    needed: 'tag, on, title, result',
    more: 'by, run, measure, point, label, phase, unit, reference, indicated, error, low, high, u',
    note: 'One row for each point. A history sets the days of what recurs; it never brings a device back into use.',
  },
  {
    id: 'instruments' as const,
    words: 'Instruments',
    needed: 'name, profile, transport, address',
    more: 'belongs, baud, bits, parity, stop, flow, status, why',
    note: 'A name that is in use is changed by its row, or retired by its status: say why.',
  },
  {
    id: 'competences' as const,
    words: 'Who may do what alone',
    needed: 'name, family',
    more: 'ground, note, until',
    note: 'One row for each person and family. The people are registered first, by an administrator: People has their list.',
  },
]
const forms = [
  { id: 'year-month-day' as const, words: 'year, month, day: 2026-03-02' },
  { id: 'day-month-year' as const, words: 'day, month, year: 02.03.2026' },
  { id: 'month-day-year' as const, words: 'month, day, year: 03/02/2026' },
]
const kind = ref(kinds.find((k) => k.id === props.first)?.id ?? 'assets')
const days = ref<(typeof forms)[number]['id']>('year-month-day')
const update = ref(false)
const file = ref<File>()
const { state, trouble, read: readIt, go } = useImport()
const chosen = computed(() => kinds.find((k) => k.id === kind.value)!)
watch(kind, () => (state.value = file.value = undefined))
watch([days, update], () => state.value?.state === 'read' && read())
function choose(event: Event) {
  const input = event.target as HTMLInputElement
  file.value = input.files?.[0]
  input.value = ''
  if (file.value) read()
}
const read = () =>
  readIt(() =>
    api.POST('/api/imports', {
      params: { query: { kind: kind.value, days: days.value, update: kind.value === 'assets' && update.value } },
      body: file.value as never,
      bodySerializer: (b: unknown) => b as Blob,
      headers: { 'Content-Type': 'application/octet-stream' },
    }),
  )
const lists = [
  { id: 'equipment', words: 'Equipment' },
  { id: 'references', words: 'References' },
  { id: 'histories', words: 'Histories' },
  { id: 'instruments', words: 'Instruments' },
  { id: 'competences', words: 'Who may do what' },
  { id: 'due', words: 'Due in a year' },
]
</script>

<template>
  <section class="grid max-w-5xl gap-10 lg:grid-cols-[minmax(0,1fr)_300px]">
    <div>
      <h2 class="text-lg">Bring in</h2>
      <p class="text-ink-2">
        A list is read first, as CSV or as a workbook (XLSX). Nothing is taken before you say so; what is taken then
        comes in whole.
      </p>
      <div class="mt-2 flex flex-wrap gap-x-4" role="group" aria-label="What">
        <label v-for="k in kinds" :key="k.id" class="flex min-h-11 items-center gap-2"
          ><input v-model="kind" type="radio" :value="k.id" class="size-5 accent-ink" />{{ k.words }}</label
        >
      </div>
      <dl class="text-sm text-ink-2">
        <dt class="inline font-semibold">Columns it needs:</dt>
        <dd class="num ml-1 inline">{{ chosen.needed }}.</dd>
        <dt class="ml-1 inline font-semibold">It may have:</dt>
        <dd class="num ml-1 inline">{{ chosen.more }}.</dd>
      </dl>
      <p class="text-sm text-ink-2">{{ chosen.note }}</p>
      <div v-if="can('import')" class="mt-3 flex flex-wrap items-end gap-x-6 gap-y-2">
        <label class="w-64"
          ><span class="label">Days are written as</span>
          <select v-model="days" class="field">
            <option v-for="f in forms" :key="f.id" :value="f.id">{{ f.words }}</option>
          </select>
        </label>
        <label v-if="kind === 'assets'" class="flex min-h-11 items-center gap-2"
          ><input v-model="update" type="checkbox" class="size-5 accent-ink" />Change devices that are in the
          register</label
        >
        <label class="btn inline-flex cursor-pointer items-center">
          Choose a list <input type="file" accept=".csv,.txt,.tsv,.xlsx" class="sr-only" @change="choose" />
        </label>
      </div>
      <p v-else class="mt-3 text-ink-2">A lead brings lists in.</p>
      <AlertNote class="mt-3" :words="trouble" />
      <ImportOutcome v-if="state" :state="state" :name="file?.name ?? ''" class="mt-4" @go="go" />
      <ReadBack class="mt-8 border-t-2 border-ink pt-4" />
    </div>
    <div>
      <h2 class="text-lg">Take out</h2>
      <ul class="rows border-y border-line">
        <li v-for="l in lists" :key="l.id" class="flex items-center gap-1 py-0.5">
          <span class="mr-auto">{{ l.words }}</span>
          <a
            v-for="format in ['csv', 'xlsx', 'json']"
            :key="format"
            class="inline-flex min-h-11 min-w-14 items-center justify-center underline"
            :href="`/api/lists/${l.id}?format=${format}`"
            :aria-label="`${l.words} as ${format.toUpperCase()}`"
            >{{ format.toUpperCase() }}</a
          >
        </li>
      </ul>
    </div>
  </section>
</template>
