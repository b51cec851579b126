<script setup lang="ts">
import { resultTone, resultWords, whySo } from './result'
import { computed, ref } from 'vue'
import { useQuery } from '@tanstack/vue-query'
import AskDialog from '../components/AskDialog.vue'
import SecretField from '../components/SecretField.vue'
import ThumbBar from './ThumbBar.vue'
import StepHead from './StepHead.vue'
import { useRunHandle } from './runHandle'
import { useKeys } from '../composables/useKeys'
import { type Run, type Step } from '../api/client'
import { queries } from '../api/queries'

/** Signing: what still stands in the way, the statement, and the reviewer where one is wanted. */
const props = defineProps<{ run: Run; step: Step }>()
const { send, sending, problem } = useRunHandle()
const { data: reviewers } = useQuery(
  queries.reviewers(
    () => props.run.id,
    () => props.run.seq,
  ),
)
const words = computed(() => props.run.statement)
const statement = ref<string>()
const reviewer = ref(props.run.under?.id ?? '')
const secret = ref('')
const shown = ref<InstanceType<typeof SecretField>>()
const abandoning = ref(false)
const open = computed(() => props.run.loose_ends.filter((e) => !e.closed_at))
const emit = defineEmits<{ look: [id: string] }>()
const who = ref<HTMLSelectElement>()
/** Enter goes to the first thing that is missing; it never signs. */
function missing() {
  const undone = props.run.steps.find((s) => !s.done && s.kind !== 'sign')
  if (undone) emit('look', undone.id)
  else if (open.value.length) document.querySelector<HTMLElement>('[data-close]')?.focus()
  else if (props.run.needs_review && !reviewer.value) who.value?.focus()
  else shown.value?.focus()
}
useKeys({ Enter: missing })
async function sign() {
  if (!secret.value) return shown.value?.focus()
  const order = { statement: statement.value ?? words.value, reviewer: reviewer.value || undefined }
  if (!(await send({ kind: 'sign', ...order, secret: secret.value }))) secret.value = ''
}
function abandon(reason: string) {
  abandoning.value = false
  send({ kind: 'abandon', reason })
}
</script>

<template>
  <div>
    <StepHead title="Sign" do="A signed run never changes. A correction is a new run that says what it replaces." />
    <p class="mt-4 text-2xl font-semibold" :class="resultTone(run.result)">{{ resultWords[run.result] }}</p>
    <p class="text-ink-2">{{ whySo(run) }}</p>

    <div v-if="run.blockers.length" class="mt-4 border-l-4 border-brass bg-brass-wash px-4 py-3">
      <p class="font-semibold">Before it can be signed</p>
      <ul class="mt-1 list-inside list-[square]">
        <li v-for="b in run.blockers" :key="b">{{ b }}</li>
      </ul>
      <div v-if="open.length" class="mt-2 flex flex-wrap gap-2">
        <button
          v-for="e in open"
          :key="e.what"
          type="button"
          data-close
          class="btn"
          @click="send({ kind: 'close-loose-end', what: e.what, note: 'closed by hand' })"
        >
          {{ e.what }}: close it by hand
        </button>
      </div>
    </div>

    <label class="mt-4 block max-w-2xl">
      <span class="label">What was done and found</span>
      <textarea
        :value="statement ?? words"
        name="statement"
        rows="3"
        class="field"
        @input="statement = ($event.target as HTMLTextAreaElement).value"
      ></textarea>
    </label>
    <label v-if="run.needs_review" class="mt-3 block max-w-sm">
      <span class="label"
        >Who countersigns this run<template v-if="run.under"> (made under {{ run.under.name }})</template></span
      >
      <select ref="who" v-model="reviewer" name="reviewer" class="field" :aria-invalid="problem?.field === 'reviewer'">
        <option value="">choose …</option>
        <option v-for="p in reviewers" :key="p.id" :value="p.id">{{ p.name }}</option>
      </select>
    </label>
    <slot />
    <form id="signing" @submit.prevent="sign">
      <SecretField
        ref="shown"
        v-model="secret"
        class="mt-3"
        meaning="performed, as it stands here"
        :wrong="problem?.field === 'secret'"
      />
      <ThumbBar class="mt-5">
        <button class="btn btn-main" form="signing" :disabled="sending">Sign this run</button>
        <button type="button" class="btn btn-quiet" @click="abandoning = true">Give the run up …</button>
      </ThumbBar>
    </form>
    <AskDialog
      v-if="abandoning"
      grave
      title="Give the run up"
      hint="It stays in the record as abandoned. Its loose ends stay in sight until they are closed."
      label="Why"
      action="Give it up"
      @done="abandon"
      @close="abandoning = false"
    />
  </div>
</template>
