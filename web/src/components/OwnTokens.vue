<script setup lang="ts">
import { computed, ref } from 'vue'
import { useQuery } from '@tanstack/vue-query'
import AlertNote from './AlertNote.vue'
import SectionTitle from './SectionTitle.vue'
import { api } from '../api/client'
import { queries, useCached } from '../api/queries'
import { useSend } from '../composables/useSend'
import { useSession } from '../composables/useSession'
import { localDay } from '../composables/words'

/** The link of one's own calendar, and the tokens of programs: a secret is shown once, when it is made. */
const { can } = useSession()
const { keep } = useCached()
const { data: tokens } = useQuery(queries.tokens())
const { trouble, sending, send } = useSend()
const purpose = ref('')
const secret = ref('')
const calendar = computed(() => tokens.value?.find((t) => t.kind === 'calendar' && t.mine && !t.ended))
const programs = computed(() => tokens.value?.filter((t) => t.kind === 'program') ?? [])
async function make(kind: 'calendar' | 'program') {
  secret.value = ''
  const made = await send(() => api.POST('/api/tokens', { body: { kind, purpose: purpose.value || undefined } }))
  if (!made) return
  keep('tokens', made.tokens)
  secret.value = kind === 'calendar' ? location.origin + made.secret : made.secret
  purpose.value = ''
}
async function end(id: string) {
  secret.value = ''
  const left = await send(() => api.DELETE('/api/tokens/{id}', { params: { path: { id } } }))
  if (left) keep('tokens', left)
}
</script>

<template>
  <section>
    <SectionTitle class="mb-1">Calendar</SectionTitle>
    <p class="text-ink-2">
      What is due, for a calendar program. The link is yours alone: whoever has it can read it, and it ends with your
      account.
    </p>
    <div class="mt-2 flex flex-wrap gap-3">
      <button class="btn" :disabled="sending" @click="make('calendar')">
        {{ calendar ? 'A new link; the old one stops' : 'Make the link' }}
      </button>
      <button v-if="calendar" class="btn" :disabled="sending" @click="end(calendar.id)">End it</button>
    </div>
    <p v-if="calendar" class="mt-1 text-sm text-ink-2">There is one, made {{ localDay(calendar.at) }}.</p>
    <div v-if="secret" class="mt-3 border-2 border-ink bg-sheet p-3" role="status">
      <p class="font-semibold">Copy it now: it is not shown again.</p>
      <p class="num mt-1 break-all select-all">{{ secret }}</p>
    </div>
    <AlertNote class="mt-2" :words="trouble" />
    <template v-if="can('make tokens for programs')">
      <SectionTitle class="mt-8 mb-1">Programs that read</SectionTitle>
      <ul class="rows">
        <li v-for="t in programs" :key="t.id" class="flex items-center gap-4 py-2" :class="t.ended ? 'text-ink-2' : ''">
          <p class="min-w-0 grow">
            <b>{{ t.purpose }}</b>, made {{ localDay(t.at) }} by {{ t.owner
            }}<template v-if="t.ended">, ended {{ localDay(t.ended) }}</template>
          </p>
          <button v-if="!t.ended" class="btn" :disabled="sending" @click="end(t.id)">End it</button>
        </li>
      </ul>
      <form class="mt-3 flex flex-wrap items-end gap-3" @submit.prevent="make('program')">
        <label class="grow"
          ><span class="label">Which program, for what</span
          ><input v-model="purpose" name="purpose" class="field" maxlength="100" required
        /></label>
        <button class="btn" :disabled="sending">Make a token</button>
      </form>
    </template>
  </section>
</template>
