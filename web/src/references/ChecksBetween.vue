<script setup lang="ts">
import { computed, reactive, ref } from 'vue'
import { api } from '../api/client'
import { useCached } from '../api/queries'
import type { components } from '../api/schema.gen'
import FormDialog from '../components/FormDialog.vue'
import NumberField from '../components/NumberField.vue'
import SectionTitle from '../components/SectionTitle.vue'
import { newId } from '../composables/useRun'
import { useSend } from '../composables/useSend'
import { useSession } from '../composables/useSession'
import { dayWords, localDay, numberIn, significant, unitWords } from '../composables/words'
import CheckChart from './CheckChart.vue'

/** Checks of a reference between its certificates: when the next is due, what was found, and what follows where it moved. */
const props = defineProps<{ reference: components['schemas']['ReferenceView'] }>()
const emit = defineEmits<{ out: [moved: components['schemas']['Moved'] & { words: string }] }>()
const { can } = useSession()
const { keep, refresh } = useCached()
const { problem, sending, send, clear } = useSend()
const asking = ref<'check' | 'rule'>()
const checks = computed(() => props.reference.checks)
const lines = computed(() =>
  props.reference.values.filter(
    (v, i, all) => all.findIndex((w) => w.quantity === v.quantity && w.piece === v.piece) === i,
  ),
)
const nameOf = (v: { quantity: string; piece?: string }) => v.piece ?? v.quantity
const late = computed(
  () => !!props.reference.check_due && new Date(props.reference.check_due) < new Date(new Date().toDateString()),
)

const found = reactive({ line: 0, at: '', value: '', u: '', against: '', note: '' })
const line = computed(() => lines.value[found.line])
const ranged = computed(() => !!(line.value?.from || line.value?.to))
const rule = reactive({ days: '', how: '', why: '' })
let id = newId()
function open(what: 'check' | 'rule') {
  clear()
  id = newId()
  Object.assign(found, { at: '', value: '', u: '', against: '', note: '' })
  Object.assign(rule, {
    days: props.reference.check_days ? String(props.reference.check_days) : '',
    how: props.reference.check_how,
    why: '',
  })
  asking.value = what
}
async function taken(view?: components['schemas']['ReferenceView']) {
  if (!view) return
  asking.value = undefined
  keep('reference', view, props.reference.id)
  keep('reference', view, props.reference.tag)
  await refresh('reference', 'standards', 'today')
}
const params = computed(() => ({ path: { id: props.reference.id } }))
async function note() {
  const { quantity, piece } = line.value!
  const body = {
    id,
    found: {
      quantity,
      piece,
      at: ranged.value ? numberIn(found.at) : undefined,
      value: numberIn(found.value),
      u: numberIn(found.u),
    },
    against: found.against,
    note: found.note || undefined,
  }
  await taken(await send(() => api.POST('/api/standards/{id}/checks', { params: params.value, body })))
}
async function setRule() {
  const body = { days: Math.round(numberIn(rule.days)) || 0, how: rule.how, why: rule.why }
  await taken(await send(() => api.POST('/api/standards/{id}/check-rule', { params: params.value, body })))
}
const wordsOf = (c: components['schemas']['CheckView']) =>
  `Check between certificates on ${localDay(c.on)}, against ${c.against}`
</script>

<template>
  <section aria-label="Checks between certificates">
    <SectionTitle class="mt-6">Checks between certificates</SectionTitle>
    <div class="mt-2 flex flex-wrap items-center gap-3">
      <p class="mr-auto">
        <template v-if="reference.check_days">
          <b :class="late ? 'text-vermilion' : 'text-petrol'"
            >{{ late ? '◆ was due' : '● next' }} {{ dayWords(reference.check_due ?? '') }}</b
          >, every {{ reference.check_days }} days<span class="block text-sm text-ink-2">{{
            reference.check_how
          }}</span>
        </template>
        <span v-else class="text-ink-2">None is wanted.</span>
      </p>
      <button v-if="can('check references') && lines.length" class="btn" @click="open('check')">Check it …</button>
      <button v-if="can('keep references')" class="btn btn-quiet" @click="open('rule')">How often …</button>
    </div>
    <CheckChart v-if="checks.length" class="mt-3" :checks="checks" />
    <ul class="rows mt-2">
      <li v-for="c in [...checks].reverse()" :key="c.id" class="flex flex-wrap items-center gap-x-4 py-2">
        <span class="num w-28 shrink-0">{{ localDay(c.on) }}</span>
        <span class="min-w-0 grow">
          <span :class="c.held ? 'text-petrol' : 'font-semibold text-vermilion'"
            >{{ c.held ? '● holds' : '◆ moved' }}: {{ nameOf(c) }}
            <span class="num">{{ significant(c.value, 6) }} {{ unitWords(c.unit) }}</span
            >, {{ c.by < 0 ? '−' : '+' }}<span class="num">{{ significant(Math.abs(c.by), 3) }}</span> where it may be
            <span class="num">{{ significant(c.allowed, 3) }}</span></span
          >
          <span class="block text-sm text-ink-2">against {{ c.against }} · {{ c.checked_by }} {{ c.note }}</span>
        </span>
        <button v-if="!c.held && can('keep references')" class="btn" @click="emit('out', { ...c, words: wordsOf(c) })">
          Look back …
        </button>
      </li>
    </ul>
    <FormDialog
      v-if="asking === 'check'"
      :title="`Check ${reference.tag}`"
      :hint="reference.check_how || 'What it was found to be, against something that is known better or as well.'"
      action="Note the check"
      :problem="problem"
      :busy="sending"
      @save="note"
      @close="asking = undefined"
    >
      <div class="grid sm:grid-cols-2 gap-4">
        <label class="block">
          <span class="label">What</span>
          <select v-model.number="found.line" name="line" class="field">
            <option v-for="(v, i) in lines" :key="i" :value="i">{{ nameOf(v) }}</option>
          </select>
        </label>
        <NumberField
          v-if="ranged"
          v-model="found.at"
          label="It should be"
          :unit="unitWords(line?.unit ?? '')"
          name="at"
        />
        <span v-else class="self-end pb-2"
          >certified: <b class="num">{{ line?.value }} {{ unitWords(line?.unit ?? '') }}</b></span
        >
        <NumberField
          v-model="found.value"
          label="It was found to be"
          :unit="unitWords(line?.unit ?? '')"
          name="value"
        />
        <NumberField
          v-model="found.u"
          label="How certain that is, U (k = 2)"
          :unit="unitWords(line?.unit ?? '')"
          name="u"
        />
        <label class="sm:col-span-2 block"
          ><span class="label">Against what</span
          ><input v-model="found.against" name="against" class="field" maxlength="200"
        /></label>
        <label class="sm:col-span-2 block"
          ><span class="label">Note</span><input v-model="found.note" name="note" class="field" maxlength="400"
        /></label>
      </div>
      <p class="mt-3 text-sm text-ink-2">
        Where it moved by more than its certificate’s uncertainty and drift and the check’s own uncertainty allow, it
        goes into quarantine at once.
      </p>
    </FormDialog>
    <FormDialog
      v-if="asking === 'rule'"
      title="Checks between certificates"
      hint="They say early that a reference moved, before many runs rest on it."
      action="Set it"
      :problem="problem"
      :busy="sending"
      @save="setRule"
      @close="asking = undefined"
    >
      <div class="grid gap-4">
        <label class="block"
          ><span class="label">Every so many days; empty: none</span
          ><input v-model="rule.days" name="days" class="field num w-32" inputmode="numeric"
        /></label>
        <label class="block"
          ><span class="label">Against what, and how</span
          ><textarea v-model="rule.how" name="how" class="field" rows="2" maxlength="400"></textarea>
        </label>
        <label class="block"
          ><span class="label">Why so often, or why no more</span
          ><input v-model="rule.why" name="why" class="field" maxlength="400"
        /></label>
      </div>
    </FormDialog>
  </section>
</template>
