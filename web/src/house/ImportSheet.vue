<script setup lang="ts">
import { computed, onBeforeUnmount, ref } from 'vue'
import ReadBack from './ReadBack.vue'
import { api } from '../api/client'
import type { components } from '../api/schema.gen'
import { useSession } from '../composables/useSession'
import AlertNote from '../components/AlertNote.vue'
import { useCached } from '../api/queries'
import { useSend } from '../composables/useSend'

/** Lists in and out: a CSV file is read first; every row that cannot be taken says why. */
const { refreshAll } = useCached()
const { can } = useSession()
type Import = components['schemas']['ImportView']
const kind = ref<'assets' | 'standards' | 'histories' | 'instruments'>('assets')
const state = ref<Import>()
const { trouble, send } = useSend()
let timer: ReturnType<typeof setTimeout> | undefined
onBeforeUnmount(() => clearTimeout(timer))
const kinds = [
  {
    id: 'assets' as const,
    words: 'Devices',
    columns: 'tag, maker, model, family, site; serial, place, risk, status, last_done, months, next_due',
    note: 'The last three are of its main verification: when it was done last, how often, and the day it is due.',
  },
  {
    id: 'standards' as const,
    words: 'References',
    columns:
      'tag, name, kind, certificate, issuer, certified, due, quantity, unit, u, k; value or from and to, maker, serial, lot, accredited',
  },
  {
    id: 'histories' as const,
    words: 'Histories',
    columns: 'tag, on, title, result; by, measure, point, unit, reference, indicated, low, high, u',
  },
  {
    id: 'instruments' as const,
    words: 'Instruments',
    columns: 'name, profile, transport, address; belongs, baud, bits, parity, stop, flow, status, why',
    note: 'A name that is in use is changed by its row, or retired by its status: say why.',
  },
]
const chosen = computed(() => kinds.find((k) => k.id === kind.value)!)
const rows = (n: number) => (n === 1 ? 'row' : 'rows')
async function read(event: Event) {
  const input = event.target as HTMLInputElement
  const text = await input.files?.[0]?.text()
  input.value = ''
  if (text === undefined) return
  state.value = await send(() =>
    api.POST('/api/imports', {
      params: { query: { kind: kind.value } },
      body: text,
      bodySerializer: (b: string) => b,
      headers: { 'Content-Type': 'text/csv' },
    }),
  )
}
async function go(forward: boolean) {
  const id = state.value!.id
  state.value =
    (await send(() => api.POST('/api/imports/{id}', { params: { path: { id } }, body: { go: forward } }))) ??
    state.value
  watchIt()
}
async function watchIt() {
  const s = state.value
  if (!s || s.state !== 'running') {
    refreshAll()
    return
  }
  timer = setTimeout(async () => {
    state.value = (await send(() => api.GET('/api/imports/{id}', { params: { path: { id: s.id } } }))) ?? state.value
    watchIt()
  }, 300)
}
const lists = [
  { id: 'equipment', words: 'Equipment' },
  { id: 'references', words: 'References' },
  { id: 'instruments', words: 'Instruments' },
  { id: 'due', words: 'Due in a year' },
]
</script>

<template>
  <section class="grid max-w-5xl gap-10 lg:grid-cols-[minmax(0,1fr)_300px]">
    <div>
      <h2 class="text-lg">Bring in</h2>
      <p class="text-ink-2">A file is read first. Nothing is taken before you say so, and then all of it or nothing.</p>
      <div class="mt-2 flex gap-4" role="group" aria-label="What">
        <label v-for="k in kinds" :key="k.id" class="flex min-h-10 items-center gap-2"
          ><input v-model="kind" type="radio" :value="k.id" class="size-5 accent-ink" />{{ k.words }}</label
        >
      </div>
      <p class="num text-sm text-ink-2">{{ chosen.columns }}</p>
      <p v-if="'note' in chosen" class="text-sm text-ink-2">{{ chosen.note }}</p>
      <label v-if="can('import')" class="btn mt-3 inline-flex cursor-pointer items-center">
        Choose a CSV file <input type="file" accept=".csv,text/csv" class="sr-only" @change="read" />
      </label>
      <p v-else class="mt-3 text-ink-2">A lead brings lists in.</p>
      <AlertNote class="mt-3" :words="trouble" />
      <div v-if="state" class="mt-4 border-2 border-ink bg-sheet p-4" aria-live="polite">
        <p class="text-lg">
          <b class="num">{{ state.rows }}</b> {{ rows(state.rows) }} can be taken,
          <b class="num">{{ state.count }}</b> cannot.
          <span v-if="state.ignored.length" class="text-sm text-ink-2"
            >Not read: the columns {{ state.ignored.join(', ') }}.</span
          >
        </p>
        <div v-if="state.state === 'running'" class="mt-2">
          <progress class="h-4 w-full accent-ink" :value="state.done" :max="state.all || 1"></progress>
          <p class="num text-sm">{{ state.done }} of {{ state.all }} records</p>
          <button class="btn" @click="go(false)">Stop; nothing of it stays</button>
        </div>
        <button v-else-if="state.state === 'read' && state.rows" class="btn btn-main mt-2" @click="go(true)">
          Take the {{ state.rows }} {{ rows(state.rows) }} in
        </button>
        <p v-else-if="state.state === 'done'" class="mt-2 font-semibold text-petrol">● All of them are in.</p>
        <p v-else-if="state.why" class="mt-2 font-semibold text-vermilion">◆ {{ state.why }}</p>
        <ul v-if="state.refused.length" class="rows mt-3 max-h-64 overflow-auto text-sm">
          <li v-for="(r, i) in state.refused.slice(0, 200)" :key="i" class="py-1">
            line <b class="num">{{ r.line }}</b>{{ r.field ? `, ${r.field}` : '' }}: {{ r.why }}
          </li>
        </ul>
      </div>
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
            class="inline-flex min-h-10 min-w-14 items-center justify-center underline"
            :href="`/api/lists/${l.id}?format=${format}`"
            :aria-label="`${l.words} as ${format.toUpperCase()}`"
            >{{ format.toUpperCase() }}</a
          >
        </li>
      </ul>
    </div>
  </section>
</template>
