<script setup lang="ts">
import { computed } from 'vue'
import { useQuery } from '@tanstack/vue-query'
import AlertNote from './AlertNote.vue'
import SectionTitle from './SectionTitle.vue'
import { api } from '../api/client'
import { queries, useCached } from '../api/queries'
import type { components } from '../api/schema.gen'
import { useSend } from '../composables/useSend'

/** What a new workshop does once, and what of it is still open; nothing where all is done. */
type Step = components['schemas']['FirstStep']
const { data } = useQuery(queries.firstSteps())
const { keep } = useCached()
const { trouble, sending, send } = useSend()
const open = computed(() => (data.value ?? []).filter((s) => s.state === 'open'))
const settled = computed(() => (data.value ?? []).filter((s) => s.state !== 'open'))
async function set(s: Step, without: boolean) {
  const steps = await send(() => api.POST('/api/house/first-steps', { body: { id: s.id, without } }))
  if (steps) keep('firstSteps', steps)
}
const to = (s: Step) => (s.view ? { name: s.view } : { name: 'house', params: { sheet: s.sheet } })
</script>

<template>
  <section v-if="open.length" aria-label="Still open">
    <SectionTitle>Still open in this workshop: {{ open.length }} of {{ data!.length }}</SectionTitle>
    <p>
      <RouterLink class="inline-flex min-h-11 items-center font-semibold underline" :to="{ name: 'begin' }"
        >Go through them one after another</RouterLink
      >
    </p>
    <AlertNote :words="trouble" />
    <ul class="rows border-b border-line">
      <li v-for="s in open" :key="s.id" class="flex flex-wrap items-center gap-x-4">
        <span class="min-w-0 grow basis-80 py-2"
          ><span class="text-brass" aria-hidden="true">○</span> {{ s.words }}</span
        >
        <RouterLink class="inline-flex min-h-11 items-center font-semibold underline" :to="to(s)">Do it</RouterLink>
        <button class="min-h-11 text-ink-2 underline" :disabled="sending" @click="set(s, true)">We do without</button>
      </li>
    </ul>
    <details v-if="settled.length" class="mt-1">
      <summary class="flex min-h-11 cursor-pointer items-center text-ink-2">{{ settled.length }} settled</summary>
      <ul class="rows">
        <li v-for="s in settled" :key="s.id" class="flex min-h-11 flex-wrap items-center gap-x-4 text-ink-2">
          <span class="grow">{{ s.state === 'done' ? '●' : '–' }} {{ s.words }}</span>
          <button v-if="s.state === 'without'" class="min-h-11 underline" :disabled="sending" @click="set(s, false)">
            Open it again
          </button>
        </li>
      </ul>
    </details>
  </section>
</template>
