<script setup lang="ts">
import { computed } from 'vue'
import ThumbBar from './ThumbBar.vue'
import StepHead from './StepHead.vue'
import OutsideCause from './OutsideCause.vue'
import { useRunHandle } from './runHandle'
import { useDraft } from './draft'
import { useSend } from '../composables/useSend'
import AlertNote from '../components/AlertNote.vue'
import StandInPanel from './StandInPanel.vue'
import { useBenchState } from '../composables/useBenchState'
import type { Finding, Run } from '../api/client'

/** What a look for the cause found: outside the device, in it, or nothing. Each leads on in its own way. */
const props = defineProps<{ run: Run; finding: Finding }>()
const { data: bench } = useBenchState()
const measure = computed(() => props.run.measures.find((m) => m.id === props.finding.judges[0]))
const standIn = computed(() => bench.value?.links.find((l) => l.id === measure.value?.link && l.simulated)?.id)
const { send, sending } = useRunHandle()
const { trouble, refuse, clear } = useSend()
type Where = 'outside' | 'device' | 'nothing'
const { draft, drop } = useDraft<{ where?: Where; found: string }>(
  `look ${props.finding.id} ${props.finding.closed}`,
  () => ({ where: undefined, found: '' }),
)
const places: { id: Where; words: string; then: string }[] = [
  { id: 'outside', words: 'Outside the device', then: 'Set-up, reference or room: as found is read again.' },
  { id: 'device', words: 'In the device', then: 'It was put right: every point is read as left.' },
  { id: 'nothing', words: 'Nothing was found', then: 'Nothing was changed: every point is read once more.' },
]
async function note() {
  clear()
  if (!draft.value.found.trim()) return refuse('Note what you looked at and what you found, even if it was nothing.')
  const sent = await send({
    kind: 'adjust',
    finding: props.finding.id,
    note: draft.value.found.trim(),
    ...(draft.value.where === 'nothing' && { nothing: true }),
  })
  if (sent) drop()
}
</script>

<template>
  <StepHead
    :title="`Look for the cause, round ${finding.closed}`"
    do="Look at what lies outside the device first, then at the device. Say where it was: that decides what as found is worth."
  />
  <ul v-if="finding.causes?.length" class="mt-3 list-inside list-[square] text-[1.0625rem]">
    <li v-for="c in finding.causes" :key="c">{{ c }}</li>
  </ul>
  <div class="mt-4 grid gap-2 sm:grid-cols-3" role="group" aria-label="Where the cause was">
    <button
      v-for="p in places.filter((x) => x.id !== 'outside' || finding.may_void)"
      :key="p.id"
      class="min-h-16 border-2 px-3 py-2 text-left"
      :class="draft.where === p.id ? 'border-ink bg-brass-wash' : 'border-line bg-sheet hover:border-ink'"
      :aria-pressed="draft.where === p.id"
      @click="draft.where = p.id"
    >
      <b class="block text-[1.0625rem]">{{ p.words }}</b>
      <span class="text-sm text-ink-2">{{ p.then }}</span>
    </button>
  </div>
  <OutsideCause v-if="draft.where === 'outside'" :finding="finding" />
  <form v-else-if="draft.where" id="cause" class="mt-4 max-w-2xl" @submit.prevent="note">
    <label class="block">
      <span class="label">{{
        draft.where === 'device' ? 'What was found, and what was done' : 'What was looked at'
      }}</span>
      <textarea
        v-model="draft.found"
        name="found"
        rows="3"
        class="field"
        @keydown.enter.exact.prevent="note"
      ></textarea>
    </label>
    <AlertNote class="mt-2" :words="trouble" />
    <ThumbBar class="mt-3">
      <button class="btn btn-main" form="cause" :disabled="sending">Note it, and read again <kbd>Enter</kbd></button>
    </ThumbBar>
  </form>
  <StandInPanel v-if="standIn" :instrument="standIn" :entries="measure?.points" />
</template>
