<script setup lang="ts">
import { computed, ref, watch, type Component } from 'vue'
import { useQuery } from '@tanstack/vue-query'
import { api } from '../api/client'
import { queries, useCached } from '../api/queries'
import type { components } from '../api/schema.gen'
import AlertNote from '../components/AlertNote.vue'
import QueryState from '../components/QueryState.vue'
import { useSend } from '../composables/useSend'
import CareOfCopies from '../house/CareOfCopies.vue'
import CompetenceSheet from '../house/CompetenceSheet.vue'
import DaySheet from '../house/DaySheet.vue'
import HandsSheet from '../house/HandsSheet.vue'
import ImportSheet from '../house/ImportSheet.vue'
import KeyExport from '../house/KeyExport.vue'
import PaperSheet from '../house/PaperSheet.vue'
import PeopleSheet from '../house/PeopleSheet.vue'
import ProceduresSheet from '../house/ProceduresSheet.vue'
import { useHouse } from '../house/useHouse'

/** What a new workshop does once, one step after another; each can be left for later, or done without. */
type Step = components['schemas']['FirstStep']
const { data, error, refetch } = useQuery({ ...queries.firstSteps(), refetchInterval: 2000 })
const { data: house } = useHouse()
const { keep } = useCached()
const { trouble, sending, send } = useSend()
const at = ref<Step['id']>()
const steps = computed(() => data.value ?? [])
const now = computed(() => steps.value.find((s) => s.id === at.value))
/** It begins with the first that is open, and stays where it is when that is done. */
watch(
  steps,
  (all) => {
    if (!now.value) at.value = (all.find((s) => s.state === 'open') ?? all[0])?.id
  },
  { immediate: true },
)
const place = computed(() => steps.value.findIndex((s) => s.id === now.value?.id))
const next = computed(() => steps.value[place.value + 1])
const before = computed(() => steps.value[place.value - 1])
const open = computed(() => steps.value.filter((s) => s.state === 'open').length)
const titles: Record<Step['id'], string> = {
  key: 'The key',
  copies: 'Copies',
  letterhead: 'Address on papers',
  logo: 'Logo',
  sites: 'Places and hours',
  address: 'Address of this server',
  people: 'People',
  competence: 'Who may do what',
  devices: 'Devices',
  histories: 'Histories',
  references: 'References',
  instruments: 'Instruments',
  procedures: 'Procedures',
  certificate: 'First certificate',
}
const sheets: Partial<Record<Step['id'], { is: Component; of?: object }>> = {
  key: { is: KeyExport },
  copies: { is: CareOfCopies },
  letterhead: { is: PaperSheet },
  logo: { is: PaperSheet },
  sites: { is: DaySheet },
  address: { is: HandsSheet },
  people: { is: PeopleSheet },
  devices: { is: ImportSheet, of: { first: 'assets' } },
  histories: { is: ImportSheet, of: { first: 'histories' } },
  references: { is: ImportSheet, of: { first: 'standards' } },
  procedures: { is: ProceduresSheet },
}
const mark = { open: '○', done: '●', without: '–' }
async function set(without: boolean) {
  const body = { id: now.value!.id, without }
  const all = await send(() => api.POST('/api/house/first-steps', { body }))
  if (all) keep('firstSteps', all)
  if (all && without && next.value) at.value = next.value.id
}
function go(s?: Step) {
  if (s) at.value = s.id
  window.scrollTo({ top: 0 })
}
</script>

<template>
  <main v-if="data" class="mx-auto grid max-w-[1400px] gap-8 p-4 sm:p-6 lg:grid-cols-[250px_minmax(0,1fr)]">
    <nav aria-label="First steps">
      <h1 class="text-3xl">First steps</h1>
      <p class="mt-1 text-ink-2">{{ open ? `${open} of ${steps.length} still open` : 'Nothing is open any more.' }}</p>
      <ol class="rows mt-3 border-y-2 border-ink max-lg:hidden">
        <li v-for="(s, i) in steps" :key="s.id">
          <button
            class="flex min-h-11 w-full items-center gap-2 pl-2 text-left hover:bg-brass-wash"
            :class="s.id === now?.id && 'border-l-4 border-brass bg-sheet font-bold'"
            :aria-current="s.id === now?.id ? 'step' : undefined"
            @click="go(s)"
          >
            <span :class="{ 'text-petrol': s.state === 'done', 'text-brass': s.state === 'open' }">{{
              mark[s.state]
            }}</span>
            <span class="num w-5 text-ink-2">{{ i + 1 }}</span> {{ titles[s.id] }}
            <span class="sr-only">{{ s.state }}</span>
          </button>
        </li>
      </ol>
    </nav>
    <section v-if="now" :aria-label="titles[now.id]">
      <p class="num text-ink-2">{{ place + 1 }} of {{ steps.length }}</p>
      <h2 class="text-2xl">{{ titles[now.id] }}</h2>
      <p class="mt-1 max-w-[75ch]">
        {{ now.words }}
        <b v-if="now.state === 'done'" class="text-petrol">● Done.</b>
        <b v-else-if="now.state === 'without'">– You do without.</b>
      </p>
      <AlertNote class="mt-3" :words="trouble" />
      <div class="my-6 border-y-2 border-ink py-6">
        <component :is="sheets[now.id]!.is" v-if="sheets[now.id]" :key="now.id" v-bind="sheets[now.id]!.of ?? {}" />
        <CompetenceSheet v-else-if="now.id === 'competence' && house" :house="house" />
        <p v-else-if="now.id === 'instruments'">
          An instrument on a serial port or on the network is connected on a page of its own, and tried there.
          <RouterLink class="btn mt-4" :to="{ name: 'instruments' }">Connect an instrument</RouterLink>
        </p>
        <p v-else-if="now.id === 'certificate'">
          Take a device of your own that is due, go through its steps, and sign: the certificate carries your address
          and logo.
          <RouterLink class="btn mt-4" :to="{ name: 'today' }">Today: what is due</RouterLink>
        </p>
      </div>
      <div class="flex flex-wrap items-center gap-3">
        <button class="btn" :disabled="!before" @click="go(before)">Back</button>
        <button v-if="next" class="btn btn-main" @click="go(next)">
          {{ now.state === 'open' ? 'Later: on to' : 'On to' }} {{ titles[next.id] }}
        </button>
        <RouterLink v-else class="btn btn-main" :to="{ name: 'today' }">To Today</RouterLink>
        <button v-if="now.state === 'open'" class="btn btn-quiet" :disabled="sending" @click="set(true)">
          We do without
        </button>
        <button v-if="now.state === 'without'" class="btn btn-quiet" :disabled="sending" @click="set(false)">
          Open it again
        </button>
        <RouterLink v-if="next" class="ml-auto inline-flex min-h-11 items-center underline" :to="{ name: 'today' }"
          >The rest later: to Today</RouterLink
        >
      </div>
    </section>
    <p v-else>This workshop is set up.</p>
  </main>
  <QueryState v-else :error="error" what="first steps" @again="refetch()" />
</template>
