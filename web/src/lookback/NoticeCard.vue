<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { useClipboard } from '@vueuse/core'
import { api } from '../api/client'
import type { components } from '../api/schema.gen'
import { useSession } from '../composables/useSession'
import { localDay } from '../composables/words'
import AlertNote from '../components/AlertNote.vue'
import { useCached } from '../api/queries'
import { useSend } from '../composables/useSend'

/** What one owner is told, whether it was sent, and what they answered. */
const props = defineProps<{ lookBack: string; notice: components['schemas']['NoticeView']; closed: boolean }>()
const { refresh, keep } = useCached()
const { can } = useSession()
const text = ref(props.notice.text)
const reply = ref('')
const { trouble, send, refuse, clear } = useSend()
watch(
  () => props.notice.text,
  (t) => (text.value = t),
)
const to = ref('')
/** A mail that tells it and was not taken yet. */
const mailed = computed(() => (props.notice.letter?.sent ? undefined : props.notice.letter))
async function change(kind: 'sent' | 'answered' | 'mail') {
  const params = { path: { id: props.lookBack, notice: props.notice.id } }
  const body = { kind, text: text.value, answer: reply.value, to: to.value || props.notice.mailable[0]?.id }
  const view = await send(() => api.POST('/api/look-backs/{id}/notices/{notice}', { params, body }))
  if (!view) return
  keep('lookBack', view, props.lookBack)
  await refresh('lookBacks')
}
// Over plain HTTP in the house the browser offers no clipboard: then the old way is taken.
const { copy, copied } = useClipboard({ legacy: true })
async function copyText() {
  clear()
  try {
    await copy(text.value)
  } catch {
    refuse('The browser did not let it be copied: mark the text and copy it by hand.')
  }
}
</script>

<template>
  <details class="mt-2 border-2 border-line bg-sheet px-4 py-2" :open="!notice.answered_at && !closed">
    <summary class="flex min-h-11 cursor-pointer flex-wrap items-center gap-3">
      <span class="font-semibold">{{ notice.to }}</span>
      <span v-if="notice.tag" class="num">{{ notice.tag }}</span>
      <span class="ml-auto" :class="notice.answered_at ? 'text-petrol' : 'font-semibold text-brass'">{{
        notice.answered_at ? '● answered' : notice.sent_at ? '◐ told, no answer yet' : '○ not told yet'
      }}</span>
    </summary>
    <textarea
      v-if="!notice.sent_at && !closed"
      v-model="text"
      name="notice"
      rows="9"
      class="field mt-2"
      aria-label="What the owner is told"
    ></textarea>
    <pre v-else class="mt-2 max-w-[80ch] font-sans text-[0.9375rem] whitespace-pre-wrap">{{ notice.text }}</pre>
    <p v-if="mailed" class="mt-2" :class="mailed.ended ? 'font-semibold text-vermilion' : 'text-brass'">
      {{ mailed.ended ? '◆ The mail to' : '◐ A mail to' }} {{ mailed.mail }}
      {{ mailed.ended ? 'was not taken.' : 'is on its way.' }} {{ mailed.trouble }}
    </p>
    <p v-if="notice.sent_at" class="mt-2 text-sm text-ink-2">
      Told on {{ localDay(notice.sent_at) }} by {{ notice.sent_by }}
    </p>
    <p v-if="notice.answered_at" class="mt-2 border-l-4 border-petrol pl-3">
      “{{ notice.answer }}”
      <span class="text-sm text-ink-2">{{ localDay(notice.answered_at) }}, taken down by {{ notice.answered_by }}</span>
    </p>
    <div v-if="!closed && can('send notices')" class="mt-2 flex flex-wrap items-end gap-3">
      <template v-if="!notice.sent_at">
        <button class="btn" @click="copyText">{{ copied ? 'Copied' : 'Copy the text' }}</button>
        <template v-if="notice.mailable.length && !mailed?.next">
          <label v-if="notice.mailable.length > 1">
            <span class="label">To</span>
            <select v-model="to" name="to" class="field">
              <option v-for="(c, i) in notice.mailable" :key="c.id" :value="i ? c.id : ''">{{ c.name }}</option>
            </select>
          </label>
          <button class="btn btn-main" @click="change('mail')">
            Send it {{ notice.mailable.length > 1 ? 'by mail' : `to ${notice.mailable[0]!.mail}` }}
          </button>
        </template>
        <button class="btn" :class="!notice.mailable.length && 'btn-main'" @click="change('sent')">
          The owner was told so
        </button>
      </template>
      <template v-else-if="!notice.answered_at">
        <label class="min-w-72 grow">
          <span class="label">What the owner answered</span>
          <textarea v-model="reply" name="answer" rows="2" class="field"></textarea>
        </label>
        <button class="btn btn-main" @click="change('answered')">Write it down</button>
      </template>
    </div>
    <AlertNote class="mt-2" :words="trouble" />
  </details>
</template>
