<script setup lang="ts">
import { ref } from 'vue'
import FormOutcome from '../components/FormOutcome.vue'
import { api } from '../api/client'
import type { components } from '../api/schema.gen'
import { counted, localDay, localTime } from '../composables/words'
import { useCached } from '../api/queries'
import { useSend } from '../composables/useSend'

/** Put a copy in the place of the record: looked at first, and what was there is kept. */
const { refreshAll } = useCached()
const { problem, sending: busy, send } = useSend()
const view = ref<components['schemas']['RestoreView']>()
const sure = ref(false)
const passphrase = ref('')
let copy: File | undefined
const post = (go: boolean) =>
  send(() =>
    api.POST('/api/house/restore', {
      params: { query: { go }, header: { 'X-Passphrase': passphrase.value || undefined } },
      body: copy as never,
      bodySerializer: (b: unknown) => b as File,
      headers: { 'Content-Type': 'application/octet-stream' },
    }),
  )
async function look(event: Event) {
  const input = event.target as HTMLInputElement
  copy = input.files?.[0]
  sure.value = false
  view.value = copy && (await post(false))
  input.value = ''
}
async function restore() {
  view.value = (await post(true)) ?? view.value
  if (view.value?.restored) refreshAll()
}
</script>

<template>
  <div>
    <h2 class="text-lg">Put a copy back</h2>
    <p class="text-ink-2">
      The copy is checked first. What is here now is kept in a file beside the record, and the copy takes its place.
    </p>
    <label class="mt-2 block max-w-md">
      <span class="label">Its passphrase, if it is encrypted</span>
      <input v-model="passphrase" name="copy-passphrase" type="password" class="field" autocomplete="off" />
    </label>
    <label class="btn mt-2 inline-flex cursor-pointer items-center">
      {{ busy ? 'Checking …' : 'Choose a copy' }}
      <input type="file" name="copy" accept=".backup,.db" class="sr-only" :disabled="busy" @change="look" />
    </label>
    <FormOutcome class="mt-3" :problem="problem" />
    <div v-if="view" class="mt-3 border-2 border-ink bg-sheet p-4" role="status">
      <template v-if="view.restored">
        <p class="font-semibold text-petrol">● The copy is in its place.</p>
        <p>
          What was here is kept as <span class="num">{{ view.aside }}</span>.
        </p>
      </template>
      <template v-else>
        <p>
          The copy holds: <b class="num">{{ view.events }}</b> events, {{ counted(view.runs, 'run') }},
          {{ counted(view.devices, 'device')
          }}<template v-if="view.last">, up to {{ localDay(view.last) }}, {{ localTime(view.last) }}</template
          >.
        </p>
        <p class="mt-1 font-semibold text-vermilion">
          ◆ Everything recorded since is then not in the record any more, only in the file that is kept. Runs under way
          go back to where the copy has them.
        </p>
        <label class="mt-2 flex min-h-11 items-center gap-3"
          ><input v-model="sure" type="checkbox" name="sure" class="size-5 accent-ink" /> I have told those who are
          measuring</label
        >
        <button class="btn btn-main mt-2" :disabled="!sure || busy" @click="restore">
          Put this copy in the place of the record
        </button>
      </template>
    </div>
  </div>
</template>
