<script lang="ts">
import { ref as shared } from 'vue'

/** Whether the panel is open: it stays as it was put when the next point comes up. */
const open = shared(false)
</script>

<script setup lang="ts">
import { computed, ref } from 'vue'
import { useQuery } from '@tanstack/vue-query'
import { useBenchState } from '../composables/useBenchState'
import { api } from '../api/client'
import { queries } from '../api/queries'
import { useSend } from '../composables/useSend'

/** The controls and faults of a simulated device: only where the instrument is a stand-in. */
const props = defineProps<{ instrument: string; entries?: { id: string; label: string }[] }>()
const { data } = useBenchState()
const link = computed(() => data.value?.links.find((l) => l.id === props.instrument))
const said = ref('')
const { trouble, send } = useSend()
const { data: controls, refetch } = useQuery(
  queries.standIn(
    () => props.instrument,
    () => !!link.value?.simulated,
  ),
)
const entry = ref('')

async function tell(command: string, words: string) {
  const params = { path: { id: props.instrument } }
  await send(() => api.POST('/api/stand-ins/{id}', { params, body: { command } }))
  said.value = trouble.value || words
}
async function toggle(fault: { code: string; word: string; on?: boolean }) {
  await tell(`SIMulate:FAULt ${fault.code},${fault.on ? 'OFF' : 'ON'}`, `${fault.word}: ${fault.on ? 'mended' : 'on'}`)
  await refetch()
}
</script>

<template>
  <details
    v-if="link?.simulated"
    :open="open"
    class="mt-4 border border-dashed border-ink-2 px-3 py-2 text-sm"
    @toggle="open = ($event.target as HTMLDetailsElement).open"
  >
    <summary class="min-h-11 cursor-pointer py-2 font-semibold">Simulated device: its own controls and faults</summary>
    <div v-for="k in controls?.keys" :key="k.code" class="mt-2 flex flex-wrap items-center gap-2">
      <span class="min-w-24">{{ k.word }}</span>
      <select v-if="k.code === 'TABLE'" v-model="entry" class="field max-w-52" aria-label="entry of the table">
        <option value="">choose the entry …</option>
        <option v-for="e in entries" :key="e.id" :value="e.id">{{ e.label }}</option>
      </select>
      <button
        v-for="n in k.once ? [1] : [-5, -1, 1, 5]"
        :key="n"
        class="btn num"
        :disabled="k.code === 'TABLE' && !entry"
        @click="
          tell(
            `SIMulate:PRESs ${k.code},${n}${k.code === 'TABLE' ? `,${entry}` : ''}`,
            `${k.word} ${n > 0 ? '+' : ''}${n}`,
          )
        "
      >
        {{ k.once ? 'run it' : `${n > 0 ? '+' : '−'}${Math.abs(n)}` }}
      </button>
    </div>
    <div class="mt-2 flex flex-wrap items-center gap-2">
      <span class="w-24">Faults</span>
      <button
        v-for="f in controls?.faults"
        :key="f.code"
        class="btn"
        :class="f.on && 'bg-brass-wash'"
        :aria-pressed="!!f.on"
        @click="toggle(f)"
      >
        {{ f.word }}
      </button>
      <button
        v-for="l in ['DROP', 'SILENT', 'GARBAGE']"
        :key="l"
        class="btn"
        @click="tell(`SIMulate:LINK ${l},8`, `link ${l.toLowerCase()} for 8 s`)"
      >
        link {{ l.toLowerCase() }}
      </button>
      <span class="text-ink-2" role="status">{{ said }}</span>
    </div>
  </details>
</template>
