<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { useRouter } from 'vue-router'
import { useQuery } from '@tanstack/vue-query'
import { useDebounceFn } from '@vueuse/core'
import { api } from '../api/client'
import { queries, useCached } from '../api/queries'
import type { components } from '../api/schema.gen'
import AlertNote from '../components/AlertNote.vue'
import AskDialog from '../components/AskDialog.vue'
import QueryState from '../components/QueryState.vue'
import { useSend } from '../composables/useSend'
import { useSession } from '../composables/useSession'
import { counted, dayWords, localTime } from '../composables/words'
import ProcedureForm from '../writing/ProcedureForm.vue'
import ReleaseForm from '../writing/ReleaseForm.vue'
import TrialOutcome from '../writing/TrialOutcome.vue'
import WrittenText from '../writing/WrittenText.vue'
import { lineOf, pathOf } from '../writing/procedureText'
import { useUnkept } from '../writing/useUnkept'
import { provideWriting, type Mistake } from '../writing/useWriting'

/** A procedure that is being written: as a form and as text beside it, with what is wrong while it is typed. */
const props = defineProps<{ id: string }>()
const router = useRouter()
const { can, person } = useSession()
const { keep: remember, refresh } = useCached()
const { data: kept, error, refetch } = useQuery(queries.draft(() => props.id))
const { data: known } = useQuery({ ...queries.procedureChoices(), enabled: can('draft procedures') })
const text = ref('')
const why = ref('')
const check = ref<components['schemas']['ProcedureCheck']>()
const mistakes = computed<Mistake[]>(() => check.value?.mistakes ?? [])
const writing = provideWriting(text, mistakes, known)
const editable = computed(() => kept.value?.state === 'open' && can('draft procedures'))
/** What was taken up last, as it is kept: what is written here is held against it. */
const basis = ref<{ text: string; why: string; version: number }>()
const dirty = computed(() => !!basis.value && (text.value !== basis.value.text || why.value !== basis.value.why))
/** Somebody else wrote in the draft since it was taken up here. */
const overtaken = computed(() => !!kept.value && !!basis.value && kept.value.version !== basis.value.version)
const unkept = useUnkept(() => `${person.value?.id}/${props.id}`)
const found = ref(unkept.found())
const trial = ref<components['schemas']['DryRun']>()
const asking = ref<'drop' | 'take back' | 'release'>()
const side = ref<'form' | 'text'>('form')
const area = ref<InstanceType<typeof WrittenText>>()
const { problem, trouble, sending, waiting, send } = useSend()

function takeKept() {
  const { text: said, why: because, version } = kept.value!
  basis.value = { text: said, why: because, version }
  text.value = said
  why.value = because
}
/** What is kept is taken up when it comes, unless something was changed here. */
watch(
  kept,
  (now) => {
    if (!now || (basis.value && dirty.value)) return
    const first = !basis.value
    takeKept()
    if (first && found.value?.version === now.version && editable.value) takeUp()
  },
  { immediate: true },
)
/** What was written here and not kept is put in the place of what is kept. */
function takeUp() {
  if (!found.value) return
  text.value = found.value.text
  why.value = found.value.why
  found.value = undefined
}
function mineOver() {
  const { text: said, why: because, version } = kept.value!
  basis.value = { text: said, why: because, version }
}
function theirs() {
  found.value = { text: text.value, why: why.value, version: basis.value!.version }
  takeKept()
}
function forget() {
  unkept.forget()
  found.value = undefined
}
watch([text, why], () => {
  if (dirty.value && basis.value) unkept.hold({ text: text.value, why: why.value, version: basis.value.version })
})
const look = useDebounceFn(async () => {
  const asked = text.value
  const { data } = await api.POST('/api/writing/check', { body: { text: asked } }).catch(() => ({ data: undefined }))
  if (data && asked === text.value) check.value = data
}, 400)
watch(text, () => can('draft procedures') && text.value && look(), { immediate: true })
watch(text, () => (trial.value = undefined))

async function save() {
  const params = { path: { id: props.id } }
  const body = { text: text.value, why: why.value, version: basis.value!.version }
  const view = await send(() => api.POST('/api/drafts/{id}', { params, body }), 'answered')
  if (!view) {
    if (problem.value?.status === 409) await refetch()
    return
  }
  basis.value = { text: view.text, why: view.why, version: view.version }
  remember('draft', view, view.id)
  forget()
  await refresh('drafts')
}
async function attempt() {
  trial.value = await send(() => api.POST('/api/writing/try', { body: { text: text.value } }))
}
async function end(words: string) {
  const way = asking.value
  asking.value = undefined
  const params = { path: { id: props.id } }
  const version = basis.value!.version
  const view = await send(() =>
    way === 'drop'
      ? api.POST('/api/drafts/{id}/drop', { params, body: { version, why: words } })
      : api.POST('/api/drafts/{id}/take-back', { params, body: { why: words } }),
  )
  if (view) await ended(view)
}
async function ended(view: components['schemas']['DraftView']) {
  asking.value = undefined
  remember('draft', view, view.id)
  forget()
  await refresh('drafts', 'house', 'revisions')
  if (view.state === 'dropped') await router.push({ name: 'house', params: { sheet: 'procedures' } })
}
async function goTo(m: Mistake) {
  side.value = 'form'
  if (!(await writing.show(m.field)) && m.line) {
    side.value = 'text'
    await area.value?.show(m.line)
  }
}
/** What is worked at in the form is brought into sight in the text. */
function follow(event: FocusEvent) {
  const field = (event.target as HTMLElement).closest<HTMLElement>('[data-field]')?.dataset.field
  if (field) area.value?.lookAt(lineOf(text.value, pathOf(field)))
}
const wrongLines = computed(() => mistakes.value.map((m) => m.line).filter(Boolean))
const standing = computed(() => {
  const d = kept.value
  if (!d) return ''
  if (d.state === 'released')
    return `Revision ${d.revision}, released by ${d.released}: ${d.in_use ? 'in use since' : 'in use from'} ${dayWords(d.from ?? '')}`
  return { open: 'Draft, not for use', dropped: 'Given up', 'taken back': 'Taken back before it came into use' }[
    d.state
  ]
})
</script>

<template>
  <main v-if="kept" class="mx-auto max-w-[1600px] p-4 lg:p-6">
    <p>
      <RouterLink
        class="inline-flex min-h-11 items-center underline"
        :to="{ name: 'house', params: { sheet: 'procedures' } }"
        >Procedures</RouterLink
      >
    </p>
    <div class="flex flex-wrap items-start gap-x-6 gap-y-2">
      <div class="min-w-0">
        <h1 class="text-3xl">{{ check?.title || kept.title || 'A procedure without a title' }}</h1>
        <p class="mt-1">
          <b :class="kept.state === 'released' ? 'text-petrol' : 'text-brass'">{{ standing }}</b>
          <span class="text-ink-2"> · written last by {{ kept.by }}, {{ localTime(kept.at) }}</span>
        </p>
      </div>
      <div class="ml-auto flex flex-wrap items-center gap-3">
        <a class="btn" :href="`/api/drafts/${id}/instruction`" target="_blank">Print it</a>
        <template v-if="editable">
          <button class="btn" :disabled="sending" @click="attempt">Try it</button>
          <button class="btn btn-main" :disabled="sending || !dirty" @click="save">Keep the draft</button>
        </template>
      </div>
    </div>

    <div
      v-if="overtaken && dirty"
      class="mt-3 flex flex-wrap items-center gap-3 border-l-4 border-brass bg-brass-wash px-3 py-2"
    >
      {{ kept.by }} changed the draft while you were writing. Nothing of yours is kept yet, and nothing is lost.
      <button class="btn" @click="theirs">Show theirs</button>
      <button class="btn" @click="mineOver">Put mine in its place</button>
    </div>
    <div
      v-else-if="found && editable"
      class="mt-3 flex flex-wrap items-center gap-3 border-l-4 border-brass bg-brass-wash px-3 py-2"
    >
      You had changes here that were not kept, and {{ kept.by }} has changed the draft since.
      <button class="btn" @click="takeUp">Put mine in its place</button>
      <button class="btn btn-quiet" @click="forget">Forget mine</button>
    </div>
    <AlertNote class="mt-3" :words="trouble" />
    <p v-if="waiting" class="mt-3 border-l-4 border-brass bg-brass-wash px-3 py-2" role="status">
      The server does not answer. What you wrote is held here, and sent until it does.
    </p>

    <template v-if="kept.state === 'open'">
      <label class="mt-3 block">
        <span class="label">What changes, and why: it is read by whoever works by it</span>
        <input v-model="why" name="why" class="field" maxlength="1000" :disabled="!editable" />
      </label>
      <p v-if="check && !mistakes.length" class="mt-3 border-l-4 border-petrol bg-petrol-wash px-3 py-2" role="status">
        ● It can be read: {{ check.id }}, revision {{ check.revision }}, {{ counted(check.points, 'point') }}, about
        {{ check.minutes }} min.
      </p>
      <div
        v-else-if="mistakes.length"
        class="mt-3 border-l-4 border-vermilion bg-vermilion-wash px-3 py-2"
        role="status"
      >
        <b>{{ counted(mistakes.length, 'thing') }} to mend</b>
        <ul class="max-h-40 overflow-auto">
          <li v-for="(m, i) in mistakes" :key="i">
            <button class="min-h-11 text-left hover:underline" @click="goTo(m)">
              <span class="num text-sm text-ink-2">{{ m.line ? `line ${m.line}` : '' }} {{ m.field }}</span>
              {{ m.message }}
            </button>
          </li>
        </ul>
      </div>
    </template>
    <p v-else-if="kept.why" class="mt-3">{{ kept.why }}</p>
    <TrialOutcome v-if="trial" class="mt-3" :trial="trial" />

    <div class="mt-4 flex gap-2 lg:hidden">
      <button class="btn" :class="side === 'form' && 'btn-main'" @click="side = 'form'">Form</button>
      <button class="btn" :class="side === 'text' && 'btn-main'" @click="side = 'text'">Text</button>
    </div>
    <div class="mt-4 grid gap-6 lg:grid-cols-[minmax(0,3fr)_minmax(0,2fr)]">
      <fieldset
        :disabled="!editable"
        class="min-w-0 max-lg:data-[off=true]:hidden"
        :data-off="side !== 'form'"
        @focusin="follow"
      >
        <ProcedureForm />
      </fieldset>
      <WrittenText
        ref="area"
        v-model="text"
        class="h-[70vh] self-start max-lg:data-[off=true]:hidden lg:sticky lg:top-16"
        :data-off="side !== 'text'"
        :wrong="wrongLines"
        :readonly="!editable"
      />
    </div>

    <section class="mt-8 flex flex-wrap items-center gap-4 border-t-2 border-ink pt-4">
      <template v-if="kept.state === 'open'">
        <template v-if="can('release procedures') && !kept.wrote">
          <button class="btn btn-main" :disabled="dirty || mistakes.length > 0 || !check" @click="asking = 'release'">
            Release it …
          </button>
          <span v-if="dirty" class="text-ink-2"
            >Keep the draft first: then you wrote in it, and another lead releases it.</span
          >
        </template>
        <span v-else class="text-ink-2">{{
          kept.wrote
            ? 'You wrote in it: a lead who did not reads it and releases it.'
            : 'A lead who did not write in it releases it.'
        }}</span>
        <button v-if="editable" class="btn btn-quiet ml-auto" @click="asking = 'drop'">Give it up …</button>
      </template>
      <template v-else-if="kept.state === 'released'">
        <RouterLink class="btn" :to="{ name: 'procedure', params: { id: kept.procedure } }"
          >All its revisions</RouterLink
        >
        <button v-if="!kept.in_use && can('release procedures')" class="btn" @click="asking = 'take back'">
          Take it back …
        </button>
      </template>
    </section>
    <ReleaseForm
      v-if="asking === 'release' && check?.revision"
      :draft="kept"
      :revision="check.revision"
      @done="ended"
      @close="asking = undefined"
    />
    <AskDialog
      v-if="asking === 'drop' || asking === 'take back'"
      :title="asking === 'drop' ? 'Give this draft up' : 'Take this release back'"
      hint="It stays in the record, with why."
      label="Why"
      :action="asking === 'drop' ? 'Give it up' : 'Take it back'"
      @done="end"
      @close="asking = undefined"
    />
  </main>
  <QueryState v-else :error="error" what="the draft" @again="refetch()" />
</template>
