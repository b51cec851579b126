<script setup lang="ts">
import { ref } from 'vue'
import FormOutcome from '../components/FormOutcome.vue'
import { api } from '../api/client'
import type { components } from '../api/schema.gen'
import { useSession } from '../composables/useSession'
import { counted, localDay } from '../composables/words'
import { useCached } from '../api/queries'
import { useSend } from '../composables/useSend'

/** A whole run read back from its file: its chain checked, its verdicts computed anew. */
const { refreshAll } = useCached()
const { can } = useSession()
const { problem, send } = useSend()
const view = ref<components['schemas']['ReadBackView']>()
let text = ''
const post = (go: boolean) =>
  send(() =>
    api.POST('/api/records', {
      params: { query: { go } },
      body: text as never,
      bodySerializer: (b: unknown) => b as string,
      headers: { 'Content-Type': 'application/json' },
    }),
  )
async function read(event: Event) {
  const input = event.target as HTMLInputElement
  text = (await input.files?.[0]?.text()) ?? ''
  input.value = ''
  if (text) view.value = await post(false)
}
async function take() {
  view.value = (await post(true)) ?? view.value
  refreshAll()
}
</script>

<template>
  <div>
    <h2 class="text-lg">Read a whole run back</h2>
    <p class="text-ink-2">
      A run that was handed out as JSON. Every event is checked against the one before it, and every verdict is computed
      anew.
    </p>
    <label class="btn mt-2 inline-flex cursor-pointer items-center">
      Choose a run (JSON)
      <input type="file" name="run" accept=".json,application/json" class="sr-only" @change="read" />
    </label>
    <FormOutcome class="mt-3" :problem="problem" />
    <div v-if="view" class="mt-4 border-2 border-ink bg-sheet p-4" role="status">
      <p class="font-semibold text-petrol">
        ● It holds: {{ counted(view.events, 'event') }} in their chain, {{ counted(view.points, 'verdict') }} as their
        readings give.
      </p>
      <p class="mt-1">
        <b class="num">{{ view.tag }}</b> {{ view.device }}, {{ view.title }}: <b>{{ view.result }}</b>. {{ view.by }},
        {{ localDay(view.on) }}.
      </p>
      <ul class="mt-1 text-sm text-ink-2">
        <li v-for="l in view.lines" :key="l.title">
          {{ l.title }}: <span class="num">{{ l.inside }}</span> of <span class="num">{{ l.points }}</span> conform
        </li>
      </ul>
      <p class="num mt-1 text-sm break-all text-ink-2">last hash {{ view.head }}</p>
      <p v-if="!view.taken && view.here === 'unknown'" class="mt-2 border-l-4 border-brass bg-brass-wash px-3 py-2">
        <template v-if="view.ours">A key of this workshop signed it: its people are those that are here.</template>
        <template v-else
          >It names <b>{{ view.origin }}</b> as its workshop, and no key of ours signed it. Its people stay unknown
          here, whatever their names.</template
        >
        It is marked as taken in, and says nothing of how the device stands now.
      </p>
      <p v-if="view.missing" class="mt-2" :class="view.here === 'differs' && 'font-semibold text-vermilion'">
        {{ view.missing }}
      </p>
      <button v-else-if="can('take runs in')" class="btn btn-main mt-3" @click="take">Take it into this record</button>
      <p v-else class="mt-2 text-ink-2">A lead takes runs in.</p>
    </div>
  </div>
</template>
