<script setup lang="ts">
import AlertNote from '../components/AlertNote.vue'
import { api } from '../api/client'
import { useCached } from '../api/queries'
import type { components } from '../api/schema.gen'
import { useSend } from '../composables/useSend'
import { useSession } from '../composables/useSession'
import { localDay, localTime } from '../composables/words'

/** What was sent by mail, and what could not be. */
type Letter = components['schemas']['LetterView']
defineProps<{ letters: Letter[] }>()
const { can } = useSession()
const { keep } = useCached()
const { trouble, sending, send } = useSend()
const kinds = { notice: 'notice', digest: 'each week', review: 'to review', link: 'link' }
async function again(id: string) {
  const view = await send(() => api.POST('/api/telling/letters/{id}', { params: { path: { id } } }))
  if (view) keep('telling', view)
}
const when = (t: string) => `${localDay(t)}, ${localTime(t)}`
</script>

<template>
  <AlertNote :words="trouble" />
  <p v-if="!letters.length" class="text-ink-2">Nothing was sent yet.</p>
  <ul v-else class="rows border-y border-line">
    <li v-for="l in letters" :key="l.id" class="py-1">
      <details>
        <summary class="flex min-h-11 cursor-pointer flex-wrap items-center gap-x-4">
          <span
            class="w-28 shrink-0"
            :class="l.sent ? 'text-petrol' : l.ended ? 'font-semibold text-vermilion' : 'font-semibold text-brass'"
            >{{ l.sent ? '● sent' : l.ended ? '◆ not sent' : '◐ waiting' }}</span
          >
          <span class="min-w-0 grow basis-72"
            ><b>{{ l.subject }}</b> <span class="block text-sm text-ink-2">{{ l.name }}, {{ l.mail }}</span></span
          >
          <span class="text-sm text-ink-2">{{ kinds[l.kind] }}</span>
          <span class="num text-sm text-ink-2">{{ when(l.sent ?? l.at) }}</span>
        </summary>
        <p v-if="l.trouble" class="mt-1 border-l-4 border-vermilion pl-3">
          {{ l.trouble }}
          <span class="text-ink-2"
            >Tried {{ l.tries === 1 ? 'once' : `${l.tries} times`
            }}<template v-if="l.next">; again on {{ when(l.next) }}</template
            ><template v-else>; given up</template>.</span
          >
        </p>
        <pre class="mt-2 max-w-[80ch] font-sans text-[0.9375rem] whitespace-pre-wrap">{{ l.text }}</pre>
        <button v-if="!l.sent && can('send notices')" class="btn my-2" :disabled="sending" @click="again(l.id)">
          Try it now
        </button>
      </details>
    </li>
  </ul>
</template>
