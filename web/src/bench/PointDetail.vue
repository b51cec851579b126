<script setup lang="ts">
import { computed, nextTick, ref } from 'vue'
import ReadingTrace from './ReadingTrace.vue'
import DialogShell from '../components/DialogShell.vue'
import NeedleMark from '../components/NeedleMark.vue'
import ZoneMark from '../components/ZoneMark.vue'
import BudgetTable from '../workings/BudgetTable.vue'
import { useRunHandle } from './runHandle'
import type { Measure, Point, Run } from '../api/client'
import { localDay, localTime, shown, significant } from '../composables/words'

/** One point in full: what was read, the verdict with its numbers, and the budget behind U. */
const props = defineProps<{ run: Run; measure: Measure; point: Point }>()
defineEmits<{ close: [] }>()
const verdict = computed(() => props.point.left ?? props.point.found)

/** Any reading of a round that is still open may be withdrawn, with a reason: then its point is read again. */
type Reading = Point['readings'][number]
const { send, sending } = useRunHandle()
const withdrawing = ref('')
const reason = ref('')
const traced = ref('')
const open = (r: Reading) =>
  props.run.status === 'open' && props.measure.reading && r.round === props.measure.round && !r.withdrawn && !r.void
async function ask(reading: Reading) {
  withdrawing.value = reading.id
  await nextTick()
  document.querySelector<HTMLInputElement>('[role=dialog] [name=why]')?.focus()
}
async function withdraw() {
  const reading = withdrawing.value
  if (!reason.value.trim()) return
  if (await send({ kind: 'withdraw', reading, reason: reason.value.trim() })) withdrawing.value = reason.value = ''
}
</script>

<template>
  <DialogShell :title="`${measure.title} ${point.label}`" side @close="$emit('close')">
    <template v-if="verdict">
      <div class="mt-3 flex items-start gap-4">
        <NeedleMark :found="point.found" :left="point.left" :width="130" class="shrink-0" />
        <div>
          <p class="flex items-start gap-2 text-lg">
            <ZoneMark :zone="verdict.zone" :size="20" class="mt-1 shrink-0" />{{ verdict.sentence }}
          </p>
          <p v-if="verdict.warning" class="mt-1 text-brass">{{ verdict.warning }}.</p>
          <p class="mt-1">
            <span :class="verdict.pass ? 'text-petrol' : 'font-semibold text-vermilion'">{{
              verdict.pass ? 'It conforms' : 'It does not conform'
            }}</span><span class="text-ink-2">: {{ run.rule }}</span>
          </p>
        </div>
      </div>
      <p v-if="point.earlier" class="mt-3" :class="verdict.jump && 'font-semibold text-brass'">
        Before, on {{ localDay(point.earlier.at) }}:
        <span class="num">{{ shown(point.earlier.value, measure.resolution) }}</span> {{ measure.shown }}.
        <template v-if="verdict.jump">It has jumped.</template>
      </p>
      <h3 class="mt-5 border-b border-line pb-1 text-lg">Where U comes from</h3>
      <BudgetTable class="mt-2" :budget="verdict.budget" :unit="measure.shown" />
      <p class="num mt-2 text-sm text-ink-2">{{ verdict.formula }}</p>
      <p class="mt-2 flex flex-wrap gap-3">
        <RouterLink
          class="btn"
          :to="{
            name: 'workings',
            params: { tool: 'budget' },
            query: { run: run.id, measure: measure.id, point: point.id },
          }"
          >Work with this budget</RouterLink
        >
        <RouterLink
          class="btn"
          :to="{
            name: 'workings',
            params: { tool: 'tolerance' },
            query: {
              tolerance: measure.tolerance,
              reference: significant(verdict.reference, 6),
              error: significant(verdict.error, 5),
              u: significant(verdict.u, 4),
              k: significant(verdict.k, 4),
            },
          }"
          >Other rules</RouterLink
        >
      </p>
    </template>
    <p v-else class="mt-3 text-ink-2">
      {{ point.omitted ? `Left out: ${point.omitted}` : 'Not read yet.' }}
      <template v-if="point.expected">
        Expected <span class="num">{{ shown(point.expected.reference, measure.resolution) }}</span> {{ measure.shown }},
        U about <span class="num">{{ significant(point.expected.u, 3) }}</span>
      </template>
    </p>
    <h3 class="mt-5 border-b border-line pb-1 text-lg">Readings</h3>
    <ul class="rows">
      <li v-for="r in point.readings" :key="r.id" class="grid sm:grid-cols-[60px_1fr] gap-3 py-2">
        <span class="num text-sm text-ink-2">{{ localTime(r.at) }}</span>
        <span :class="r.withdrawn && 'text-ink-2 line-through'">
          <span class="num">{{ (r.values ?? []).map((v) => significant(v, 5)).join(' · ') }}</span>
          {{ measure.shown }}
          <span class="text-sm text-ink-2">
            {{ r.phase }}, {{ r.source === 'typed' ? 'typed' : 'over the link' }} by {{ r.by }}
            <template v-if="r.detail">· {{ r.detail }}</template>
            <template v-if="r.early">· taken early: {{ r.early }}</template>
          </span>
        </span>
        <button
          v-if="r.source !== 'typed' && traced !== r.id"
          class="btn btn-quiet col-start-2 justify-self-start"
          @click="traced = r.id"
        >
          Its trace
        </button>
        <ReadingTrace
          v-if="traced === r.id"
          :run="run.id"
          :reading="r.id"
          :low="point.expected?.low"
          :high="point.expected?.high"
          :reference="point.expected?.reference"
        />
        <span v-if="r.void" class="col-start-2 text-sm text-ink-2">not counted: a cause outside the device</span>
        <span v-else-if="r.withdrawn" class="col-start-2 text-sm text-vermilion">withdrawn: {{ r.withdrawn }}</span>
        <form v-else-if="withdrawing === r.id" class="col-start-2" @submit.prevent="withdraw">
          <label class="block"
            ><span class="label">Why it is withdrawn. It stays visible in the record</span
            ><input v-model="reason" name="why" class="field" maxlength="1000" autocomplete="off"
          /></label>
          <span class="mt-2 flex flex-wrap gap-2">
            <button class="btn btn-main" :disabled="sending || !reason.trim()">Withdraw it</button>
            <button type="button" class="btn" @click="withdrawing = ''">Keep it</button>
          </span>
        </form>
        <button
          v-else-if="open(r)"
          class="btn btn-quiet col-start-2 justify-self-start"
          :aria-label="`Withdraw, and read again: ${(r.values ?? []).map((v) => significant(v, 5)).join(', ')}`"
          @click="ask(r)"
        >
          Withdraw, and read again …
        </button>
      </li>
    </ul>
    <p v-if="!point.readings.length" class="py-2 text-ink-2">None yet.</p>
    <button class="btn mt-5" @click="$emit('close')">Close <kbd>Esc</kbd></button>
  </DialogShell>
</template>
