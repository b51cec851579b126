<script setup lang="ts">
import { computed, onMounted, reactive, ref, watch } from 'vue'
import { refDebounced } from '@vueuse/core'
import AlertNote from '../components/AlertNote.vue'
import DayField from '../components/DayField.vue'
import DialogShell from '../components/DialogShell.vue'
import { api } from '../api/client'
import type { components } from '../api/schema.gen'
import { newId } from '../composables/useRun'
import { useSend } from '../composables/useSend'
import { localDay } from '../composables/words'

/** What somebody outside sees by their link, without an account: whether a device may be used, and what waits for them. */
type Page = components['schemas']['ToldPage']
type Device = components['schemas']['ToldDevice']
const header = { 'X-Needle-Link': location.hash.slice(1) }
const page = ref<Page>()
const search = ref('')
const searched = refDebounced(search, 300)
const { problem, trouble, sending, send, clear } = useSend()
async function load() {
  const params = { header, query: { search: searched.value } }
  page.value = (await send(() => api.GET('/api/told', { params }))) ?? page.value
}
onMounted(load)
watch(searched, load)
const name = ref('')
const answers = reactive<Record<string, string>>({})
async function reply(notice: string) {
  const body = { notice, name: name.value, answer: answers[notice] ?? '' }
  const view = await send(() => api.POST('/api/told/answers', { params: { header }, body }))
  if (view) page.value = view
}
const faulty = ref<Device>()
const fault = reactive({ id: '', what: '', since: '' })
const reported = ref('')
function open(d: Device) {
  clear()
  reported.value = ''
  faulty.value = d
  Object.assign(fault, { id: newId(), what: '', since: '' })
}
async function report() {
  const tag = faulty.value!.tag
  const body = { ...fault, tag, name: name.value, since: fault.since || undefined }
  const view = await send(() => api.POST('/api/told/faults', { params: { header }, body }))
  if (!view) return
  page.value = view
  search.value = tag
  faulty.value = undefined
  reported.value = `The workshop knows of it. ${tag} is not to be used until it has been looked at.`
}
const marks = {
  yes: { sign: '●', words: 'Yes', tint: 'text-petrol' },
  'ask first': { sign: '◇', words: 'Ask the workshop first', tint: 'text-vermilion' },
  no: { sign: '◆', words: 'No', tint: 'text-vermilion' },
  away: { sign: '○', words: 'It is away', tint: 'text-ink-2' },
}
const waiting = computed(() => page.value?.notices.filter((n) => !n.answered_at).length ?? 0)
</script>

<template>
  <main v-if="page" class="mx-auto max-w-3xl p-4 sm:p-6">
    <p class="text-ink-2">{{ page.lab }}</p>
    <h1 class="text-2xl">{{ page.name }}</h1>
    <AlertNote class="mt-3" :words="faulty ? '' : trouble" />
    <p v-if="reported" role="status" class="mt-3 border-l-4 border-petrol bg-petrol-wash px-4 py-2">● {{ reported }}</p>
    <section v-if="page.notices.length" class="mt-6" aria-label="What you were told">
      <h2 class="text-xl">
        What you were told<span v-if="waiting" class="font-semibold text-brass">: {{ waiting }} without an answer</span>
      </h2>
      <details
        v-for="n in page.notices"
        :key="n.id"
        class="mt-2 border-2 border-line bg-sheet px-4 py-2"
        :open="!n.answered_at"
      >
        <summary class="flex min-h-11 cursor-pointer flex-wrap items-center gap-x-3">
          <b class="num">{{ n.tag }}</b> <span class="text-ink-2">told on {{ localDay(n.sent_at) }}</span>
          <span class="ml-auto" :class="n.answered_at ? 'text-petrol' : 'font-semibold text-brass'">{{
            n.answered_at ? '● answered' : '◐ waits for your answer'
          }}</span>
        </summary>
        <pre class="mt-2 font-sans text-[1rem] whitespace-pre-wrap">{{ n.text }}</pre>
        <p v-if="n.answered_at" class="mt-2 border-l-4 border-petrol pl-3">
          “{{ n.answer }}” <span class="text-sm text-ink-2">{{ n.answered_by }}, {{ localDay(n.answered_at) }}</span>
        </p>
        <form v-else class="mt-3 grid gap-3" @submit.prevent="reply(n.id)">
          <label
            ><span class="label">Your answer: what depended on it, what you did</span>
            <textarea v-model="answers[n.id]" name="answer" rows="3" class="field" required maxlength="4000"></textarea>
          </label>
          <label
            ><span class="label">Your name</span
            ><input v-model="name" name="answerer" class="field" required maxlength="120" autocomplete="name"
          /></label>
          <button class="btn btn-main min-h-12 justify-self-start" :disabled="sending">Send the answer</button>
        </form>
      </details>
    </section>
    <section class="mt-6" aria-label="May I use it?">
      <h2 class="text-xl">May I use it?</h2>
      <label class="mt-2 block"
        ><span class="label">Tag, serial number, or what it is</span
        ><input v-model="search" name="search" type="search" class="field min-h-12" autocomplete="off"
      /></label>
      <p class="mt-1 text-sm text-ink-2">
        <template v-if="page.total > page.devices.length"
          >{{ page.devices.length }} of {{ page.total }} devices: search for yours.</template
        >
        <template v-else>{{ page.total === 1 ? 'One device' : `${page.total} devices` }}</template>
      </p>
      <ul class="rows mt-1 border-t-2 border-ink">
        <li v-for="d in page.devices" :key="d.tag" class="flex flex-wrap items-center gap-x-4 py-3">
          <div class="min-w-0 grow basis-64">
            <p>
              <b class="num">{{ d.tag }}</b> {{ d.device }}
            </p>
            <p class="text-sm text-ink-2">{{ d.place }}, {{ d.site }}</p>
            <p v-if="d.words" class="text-[0.9375rem]">{{ d.words }}</p>
          </div>
          <div class="flex grow items-center gap-4 sm:grow-0">
            <p class="grow text-lg font-semibold" :class="marks[d.may].tint">
              <span aria-hidden="true">{{ marks[d.may].sign }}</span> {{ marks[d.may].words }}
            </p>
            <button class="btn min-h-11" @click="open(d)">Something is wrong …</button>
          </div>
        </li>
      </ul>
      <p v-if="!page.devices.length" class="mt-2 text-ink-2">There is no such device among yours.</p>
    </section>
    <p class="mt-8 text-sm text-ink-2">
      As the workshop's record has it on {{ localDay(page.at) }}. It does not replace the check before each use, nor the
      maker's manual.
    </p>
    <DialogShell
      v-if="faulty"
      :title="`Something is wrong with ${faulty.tag}`"
      hint="From then on it is not to be used, until the workshop has looked at it."
      wide="narrow"
      @close="faulty = undefined"
    >
      <form class="mt-4 grid gap-3" @submit.prevent="report">
        <label
          ><span class="label">What is wrong</span
          ><textarea v-model="fault.what" name="what" rows="3" class="field" required maxlength="1000"></textarea>
        </label>
        <DayField v-model="fault.since" name="since" label="Since which day; left out: not known" />
        <label
          ><span class="label">Your name</span
          ><input v-model="name" name="reporter" class="field" required maxlength="120" autocomplete="name"
        /></label>
        <AlertNote :words="trouble" />
        <div class="flex gap-3">
          <button class="btn btn-main min-h-12" :disabled="sending">Report it</button>
          <button type="button" class="btn min-h-12" @click="faulty = undefined">Back</button>
        </div>
      </form>
    </DialogShell>
  </main>
  <main v-else-if="problem" class="grid h-full place-items-center p-4">
    <div class="max-w-md border-2 border-ink bg-sheet p-6">
      <h1 class="text-xl">{{ problem.status ? 'This link opens nothing' : 'The server does not answer' }}</h1>
      <p class="mt-2">{{ problem.detail }}</p>
      <button v-if="!problem.status" class="btn btn-main mt-4" @click="load">Try again</button>
    </div>
  </main>
</template>
