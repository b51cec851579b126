<script setup lang="ts">
import { computed, ref } from 'vue'
import AskDialog from '../components/AskDialog.vue'
import CountersignForm from './CountersignForm.vue'
import CertificateForm from './CertificateForm.vue'
import ReviewMatters from './ReviewMatters.vue'
import ProblemNote from './ProblemNote.vue'
import { useRunHandle } from './runHandle'
import { useDraft } from './draft'
import { useStartRun } from '../composables/useStartRun'
import { useSession } from '../composables/useSession'
import { dayWords, localDay } from '../composables/words'
import { resultTone, whySo } from './result'
import type { Run } from '../api/client'
import AlertNote from '../components/AlertNote.vue'
import { useCached } from '../api/queries'

/** A run that is signed, waits for review, or was abandoned. */
const props = defineProps<{ run: Run }>()
const { send, sending } = useRunHandle()
const { can, person } = useSession()
const asking = ref<'return' | 'replace'>()
const countersigning = ref(false)
const revising = ref(false)
/** Giving it back: what is to be looked at again, by point. */
const giving = ref(false)
const { draft: marks, drop } = useDraft<Record<string, string>>('marks', () => ({}))
const marked = computed(() =>
  Object.entries(marks.value)
    .filter(([, note]) => note?.trim())
    .map(([key, note]) => ({ measure: key.split('/')[0]!, point: key.split('/')[1]!, note: note.trim() })),
)
const { start, starting, trouble } = useStartRun()
const { refresh } = useCached()
/** Whoever has no hand in it, and reviews runs or is whom it was made under. */
const mayReview = computed(
  () =>
    props.run.status === 'in review' &&
    (can('review runs') || props.run.under?.id === person.value?.id) &&
    !props.run.hands.some((p) => p.id === person.value?.id),
)
const title = computed(() =>
  props.run.status === 'abandoned'
    ? 'Abandoned'
    : props.run.status === 'in review'
      ? 'Signed, waiting for review'
      : 'Signed',
)
const open = computed(() => props.run.loose_ends.filter((e) => !e.closed_at))
async function answered(text: string) {
  const kind = asking.value
  asking.value = undefined
  if (kind === 'return' && (await send({ kind: 'return', reason: text, marks: marked.value }))) {
    marks.value = {}
    drop()
  }
  if (kind === 'replace') {
    start(props.run.device.id, props.run.procedure.id, { replaces: props.run.id, reason: text })
    refresh('asset')
  }
}
</script>

<template>
  <div>
    <h2 class="text-2xl">{{ title }}</h2>
    <p class="mt-1 text-2xl font-semibold" :class="resultTone(run.result)">
      {{ run.status === 'abandoned' ? run.end_reason : run.result[0]?.toUpperCase() + run.result.slice(1) }}
    </p>
    <template v-if="run.signature">
      <p class="mt-2 max-w-[70ch]">{{ run.signature.statement }}</p>
      <p class="mt-1 text-ink-2">
        Signed by {{ run.signature.by.name }}, {{ localDay(run.signature.at)
        }}<template v-if="run.under">, made under {{ run.under.name }}</template
        ><template v-if="run.signature.reviewed_by"
          >; countersigned by {{ run.signature.reviewed_by
          }}<template v-if="run.signature.in_place_of"> in place of {{ run.signature.in_place_of }}</template></template
        >
      </p>
      <p v-if="run.next" class="mt-3 text-lg">
        <b>Next due {{ dayWords(run.next.on) }}</b
        ><span class="text-ink-2">: {{ run.next.reason }}</span>
      </p>
      <p v-else-if="run.result === 'does not conform'" class="mt-3 text-lg font-semibold text-vermilion">
        It leaves use; no next date is set.
      </p>
      <p v-else-if="run.result === 'not complete'" class="mt-3 text-lg">
        <b>{{ whySo(run) }}</b>
        <span class="text-ink-2"> What was due stays due.</span>
      </p>
    </template>
    <div v-if="open.length" class="mt-4 border-l-4 border-brass bg-brass-wash px-4 py-3">
      <p class="font-semibold">Still open</p>
      <button
        v-for="e in open"
        :key="e.what"
        class="btn mt-2 mr-2"
        @click="send({ kind: 'close-loose-end', what: e.what, note: 'closed by hand' })"
      >
        {{ e.what }}: closed now
      </button>
    </div>
    <p v-if="run.taken_in" class="mt-4 border-l-4 border-brass bg-brass-wash px-4 py-3">
      <b>Made elsewhere</b>, at {{ run.taken_in.origin }}; taken in by {{ run.taken_in.by }},
      {{ localDay(run.taken_in.at) }}. It says nothing of how the device stands now.
    </p>
    <p v-if="run.replaced_by" class="mt-4 border-l-4 border-vermilion bg-vermilion-wash px-4 py-3">
      <b>This run counts no more.</b> Another took its place:
      <RouterLink class="underline" :to="{ name: 'run', params: { id: run.replaced_by } }">see it</RouterLink>.
    </p>
    <p v-if="run.replaces" class="mt-4 text-ink-2">
      It takes the place of
      <RouterLink class="underline" :to="{ name: 'run', params: { id: run.replaces } }">an earlier run</RouterLink>.
    </p>
    <ol v-if="run.revisions.length" class="rows mt-4 border-y border-line">
      <li class="flex flex-wrap gap-x-3 py-2 text-ink-2">
        <b class="num">1</b> as it was signed
        <a class="ml-auto underline" :href="`/api/runs/${run.id}/certificate.pdf?revision=1`" target="_blank">see it</a>
      </li>
      <li v-for="v in run.revisions" :key="v.revision" class="flex flex-wrap gap-x-3 py-2">
        <b class="num">{{ v.revision }}</b>
        <span>{{ v.reason }}: {{ v.changes.join('; ') }}</span>
        <span class="text-ink-2">{{ v.by }}, {{ localDay(v.at) }}</span>
        <a
          class="ml-auto underline"
          :href="`/api/runs/${run.id}/certificate.pdf?revision=${v.revision}`"
          target="_blank"
          >see it</a
        >
      </li>
    </ol>
    <ProblemNote />
    <AlertNote class="mt-3" :words="trouble" />
    <div class="mt-5 flex flex-wrap gap-3">
      <a v-if="run.signature" class="btn btn-main" :href="`/api/runs/${run.id}/certificate.pdf`" target="_blank"
        >Certificate (PDF)</a
      >
      <a class="btn" :href="`/api/runs/${run.id}/record.json`" target="_blank">Whole record (JSON)</a>
      <a class="btn" :href="`/api/runs/${run.id}/points.csv`" target="_blank">Points (CSV)</a>
      <RouterLink class="btn" :to="{ name: 'device', params: { id: run.device.tag } }">The device</RouterLink>
      <button
        v-if="run.status === 'signed' && can('issue a certificate anew') && !run.replaced_by"
        class="btn"
        @click="revising = true"
      >
        Issue the certificate anew …
      </button>
      <button
        v-if="run.status === 'signed' && can('work runs') && !run.replaced_by"
        class="btn"
        :disabled="!!starting"
        @click="asking = 'replace'"
      >
        Replace this run …
      </button>
    </div>
    <div v-if="mayReview" class="mt-5 flex gap-3 border-t-2 border-ink pt-4">
      <button class="btn btn-main" :disabled="sending" @click="countersigning = true">Countersign …</button>
      <button v-if="!giving" class="btn" :disabled="sending" @click="giving = true">Give it back …</button>
      <template v-else>
        <button class="btn" :disabled="sending" @click="asking = 'return'">Give it back, with what is marked …</button>
        <button class="btn btn-quiet" @click="giving = false">Not yet</button>
      </template>
    </div>
    <p v-if="giving" class="mt-2 border-l-4 border-brass bg-brass-wash px-3 py-2">
      Mark at the points below what is to be looked at again, then give it back.
    </p>
    <ReviewMatters v-if="run.signature" v-model:marks="marks" :run="run" :marking="giving" />
    <CertificateForm v-if="revising" :run="run" @close="revising = false" />
    <AskDialog
      v-if="asking === 'replace'"
      title="Replace this run"
      hint="A new run is opened on the device. When it is signed, this one counts no more; both stay in the record."
      label="Why"
      action="Open the new run"
      @done="answered"
      @close="asking = undefined"
    />
    <CountersignForm v-if="countersigning" @close="countersigning = false" />
    <AskDialog
      v-if="asking === 'return'"
      title="Give it back"
      hint="The technician can then change it and sign again."
      label="What should be looked at again"
      action="Give it back"
      @done="answered"
      @close="asking = undefined"
    />
  </div>
</template>
