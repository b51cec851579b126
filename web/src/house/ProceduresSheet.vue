<script setup lang="ts">
import { computed, ref } from 'vue'
import { api } from '../api/client'
import type { components } from '../api/schema.gen'
import { counted, familyWords } from '../composables/words'
import { useSession } from '../composables/useSession'
import { useHouse } from './useHouse'
import SecretField from '../components/SecretField.vue'
import AlertNote from '../components/AlertNote.vue'
import { useSend } from '../composables/useSend'

/** The procedures: read one, edit it, see what changes, try it against a stand-in, keep it. */
const { data, refetch } = useHouse()
const { can } = useSession()
const open = ref('')
const text = ref('')
const run = ref<components['schemas']['DryRun']>()
const { trouble, sending: busy, send } = useSend()
async function show(id: string) {
  run.value = undefined
  const kept = await send(() => api.GET('/api/procedures/{id}', { params: { path: { id } } }))
  if (!kept) return
  text.value = kept.text
  open.value = id
}
/** A new procedure begins as a short one that can be tried. */
function write() {
  run.value = undefined
  text.value = skeleton
  open.value = 'new'
}
const secret = ref('')
/** It was played through as it is written, and is another one than what is in use. */
const keepable = computed(() => {
  const r = run.value
  return r && !r.saved && !r.mistakes.length && !r.stopped && (r.new || r.diff.length > 0)
})
async function attempt(keep: boolean) {
  const params = { query: { keep } }
  const body = { text: text.value, secret: keep ? secret.value : undefined }
  const tried = await send(() => api.POST('/api/procedures', { params, body }))
  secret.value = ''
  if (tried) run.value = tried
  if (tried && keep) await refetch()
}
const skeleton = `id: my-check
revision: 1
title: My check
family: my-family
cautions:
  - The maker's manual and local codes come before this procedure.
steps:
  - check: Casing, battery and label
next: { months: 12 }
`
const tint: Record<string, string> = {
  added: 'bg-petrol-wash',
  removed: 'bg-vermilion-wash line-through',
  same: 'text-ink-2',
}
</script>

<template>
  <section v-if="data" class="grid gap-6 lg:grid-cols-[360px_minmax(0,1fr)]">
    <ul class="rows border-y-2 border-ink">
      <li v-if="can('keep procedures')">
        <button class="block min-h-12 w-full py-2 pl-2 text-left underline hover:bg-brass-wash" @click="write">
          Write one of your own
        </button>
      </li>
      <li v-for="p in data.procedures" :key="p.id">
        <button
          class="block w-full py-2 pl-2 text-left hover:bg-brass-wash"
          :class="open === p.id && 'border-l-4 border-brass bg-sheet'"
          @click="show(p.id)"
        >
          <span class="font-semibold">{{ p.title }}</span>
          <span class="block text-sm text-ink-2"
            >{{ familyWords(p.family) }} · revision {{ p.revision }} · {{ counted(p.points, 'point') }} · about
            {{ p.minutes }} min</span
          >
        </button>
      </li>
    </ul>
    <div v-if="open">
      <label class="block"
        ><span class="label">As it is written (YAML)</span>
        <textarea v-model="text" name="yaml" rows="20" class="field num text-sm" spellcheck="false"></textarea>
      </label>
      <div v-if="can('keep procedures')" class="mt-3 flex items-center gap-3">
        <button class="btn btn-main" :disabled="busy" @click="attempt(false)">
          {{ busy ? 'It is played through …' : 'Try it' }}
        </button>
        <button v-if="keepable" class="btn" :disabled="busy" @click="attempt(true)">
          {{ run!.new ? `Keep ${run!.id}` : `Keep revision ${run!.revision}` }}
        </button>
        <span class="text-ink-2">It is read, compared, and run by the book on healthy simulated devices.</span>
      </div>
      <p v-else class="mt-3 text-ink-2">A lead edits and tries it.</p>
      <SecretField v-if="keepable" v-model="secret" class="mt-3" meaning="approved for use" />
      <AlertNote class="mt-3" :words="trouble" />
      <template v-if="run">
        <ul v-if="run.mistakes.length" class="mt-3 border-l-4 border-vermilion bg-vermilion-wash px-3 py-2">
          <li v-for="m in run.mistakes" :key="m">{{ m }}</li>
        </ul>
        <p v-else-if="run.stopped" class="mt-3 border-l-4 border-vermilion bg-vermilion-wash px-3 py-2">
          The rehearsal came to a stop: {{ run.stopped }}
        </p>
        <p v-else class="mt-3 border-l-4 border-petrol bg-petrol-wash px-3 py-2">
          Played through from start to signature: {{ run.result }}, {{ counted(run.points, 'point') }}. {{ run.saved }}
        </p>
        <pre
          v-if="run.diff.length"
          class="num mt-3 max-h-80 overflow-auto border border-line bg-sheet p-3 text-sm"
          aria-label="What changes"
        ><span v-for="(l, i) in run.diff" :key="i" class="block" :class="tint[l.kind]">{{ l.kind === 'added' ? '+' : l.kind === 'removed' ? '−' : ' ' }} {{ l.text }}</span></pre>
        <p v-else-if="!run.mistakes.length && !run.new" class="mt-2 text-ink-2">Nothing differs from what is in use.</p>
      </template>
    </div>
    <p v-else class="text-ink-2">Choose a procedure to read it.</p>
  </section>
</template>
