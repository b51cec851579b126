<script setup lang="ts">
import { computed, onMounted, watch } from 'vue'
import { useQueryClient } from '@tanstack/vue-query'
import { refDebounced, useIntervalFn } from '@vueuse/core'
import type { Person } from '../api/client'
import { queries, useCached } from '../api/queries'
import { aside, confirm, entries, flush } from '../composables/outbox'
import { newId } from '../composables/useRun'
import { tone } from '../composables/useTone'
import { localTime } from '../composables/words'

/** What was given in this browser and is not recorded: what waits, of whom, and what was refused and why. */
const props = defineProps<{ person: Person; away: boolean }>()
const cache = useQueryClient()
const { keep, refresh } = useCached()
const mine = computed(() => entries.value.filter((e) => e.by.id === props.person.id))
const waiting = computed(() => mine.value.filter((e) => !e.refused))
/** What is answered at once is not said: a bar that comes and goes with every tap moves what is tapped next. */
const slow = refDebounced(
  computed(() => waiting.value.length > 0),
  700,
)
const said = computed(() => (slow.value ? waiting.value : []))
const refused = computed(() => mine.value.filter((e) => e.refused))
watch(
  () => refused.value.length,
  (now, was) => now > was && tone('refused'),
)
const others = computed(() => {
  const by = new Map<string, number>()
  for (const e of entries.value) {
    if (e.by.id !== props.person.id) by.set(e.by.name, (by.get(e.by.name) ?? 0) + 1)
  }
  return [...by].map(([name, n]) => ({ name, n }))
})
const entriesOf = (n: number) => (n === 1 ? '1 entry' : `${n} entries`)
function send() {
  return flush(props.person, (run) => {
    keep('run', run, run.id)
    refresh('bench')
  })
}
/** What was asked back and can be confirmed. */
const questions = new Set(['magnitude', 'height'])
async function confirmed(entry: (typeof entries.value)[number]) {
  const run = await cache.fetchQuery({ ...queries.run(entry.run), staleTime: 0 }).catch(() => undefined)
  if (!run) return // nothing answers: it stays here
  await confirm(entry, newId(), run.seq)
  await send()
}
onMounted(send)
useIntervalFn(() => !props.away && waiting.value.length && send(), 3000)
watch(
  () => props.away,
  (is) => !is && send(),
)
</script>

<template>
  <div v-if="said.length || refused.length || others.length" class="grid max-h-48 gap-px overflow-auto" role="status">
    <p v-if="said.length" class="bg-brass-wash px-4 py-2">
      <b>{{ entriesOf(said.length) }} not recorded yet.</b> Kept here, sent once when the server answers:
      <span v-for="(e, i) in said" :key="e.n"
        ><template v-if="i">, </template>{{ e.what }} (<span class="num">{{ e.tag }}</span
        >, <span class="num">{{ localTime(e.at) }}</span>)</span
      >.
    </p>
    <p v-for="e in refused" :key="e.n" class="bg-vermilion-wash px-4 py-2" role="alert">
      <b>Not recorded: {{ e.what }}</b
      >, given for <span class="num">{{ e.tag }}</span> at <span class="num">{{ localTime(e.at) }}</span>.
      {{ e.refused }}
      <button v-if="questions.has(e.code ?? '')" class="btn btn-small ml-2 px-3" @click="confirmed(e)">
        Yes, it shows that
      </button>
      <RouterLink :to="{ name: 'run', params: { id: e.run } }" class="underline">Look at the run</RouterLink>
      <button class="btn btn-small ml-2" @click="aside(e)">I have seen it</button>
    </p>
    <p v-for="o in others" :key="o.name" class="bg-brass-wash px-4 py-2">
      {{ entriesOf(o.n) }} of {{ o.name }} {{ o.n === 1 ? 'waits' : 'wait' }} here: sent when {{ o.name }} signs in on
      this machine, and only then.
    </p>
  </div>
</template>
