<script setup lang="ts">
import { computed, reactive, ref } from 'vue'
import AlertNote from '../components/AlertNote.vue'
import FormDialog from '../components/FormDialog.vue'
import SectionTitle from '../components/SectionTitle.vue'
import { api } from '../api/client'
import { useCached } from '../api/queries'
import type { components } from '../api/schema.gen'
import { newId } from '../composables/useRun'
import { useSend } from '../composables/useSend'
import { useSession } from '../composables/useSession'
import { localDay } from '../composables/words'

/** What becomes of a device between its runs: faults, where it is, what was entered wrong. */
type Device = components['schemas']['AssetView']
type Fault = components['schemas']['FaultView']
type Outcome = components['schemas']['FaultJudgement']['outcome']
type Answer = { data?: unknown; error?: unknown; response: Response }
const props = defineProps<{ device: Device }>()
const emit = defineEmits<{ renamed: [tag: string] }>()
const { can } = useSession()
const { refreshAll } = useCached()
const { problem, sending, send, clear } = useSend()

type Doing = 'fault' | 'judge' | 'move' | 'lend' | 'back' | 'withdraw' | 'retire' | 'again' | 'correct' | 'double'
const doing = ref<Doing>()
const judging = ref<Fault>()
const empty = {
  id: '',
  text: '',
  reporter: '',
  since: '',
  site: '',
  place: '',
  whom: '',
  until: '',
  parts: '',
  stays: '',
}
const form = reactive({ ...empty, opened: false, minutes: 0, outcome: '' as Outcome | '' })
const plate = reactive({ tag: '', serial: '', maker: '', model: '', owner: '', keeper: '', risk: 3 })
function begin(what: Doing, fault?: Fault) {
  clear()
  const { tag, serial, maker, model, owner = '', keeper = '', risk, site, place } = props.device
  Object.assign(form, empty, { id: newId(), opened: false, minutes: 0, outcome: '', site, place })
  Object.assign(plate, { tag, serial, maker, model, owner, keeper, risk })
  judging.value = fault
  doing.value = what
}
const dialogs: Record<Doing, { title: string; hint: string; action: string; text: string }> = {
  fault: {
    title: 'Report a fault',
    hint: 'It is not to be used from then on, until somebody has judged it.',
    action: 'Report it',
    text: 'What is wrong',
  },
  judge: {
    title: 'Judge the fault',
    hint: 'After a repair, everything that it undoes is due. A withdrawn device comes back by a signed run alone.',
    action: 'Judge it',
    text: 'What was looked at, and what was found',
  },
  move: {
    title: 'Move it',
    hint: 'At another height, what depends on it is due.',
    action: 'Move it',
    text: 'Why',
  },
  lend: {
    title: 'Lend or send it out',
    hint: 'It says so everywhere until it is back.',
    action: 'It is away',
    text: 'Why',
  },
  back: {
    title: 'It is back',
    hint: 'Look whether it came back whole.',
    action: 'It is back',
    text: 'How it came back',
  },
  withdraw: {
    title: 'Take it out of use',
    hint: 'It comes back into use by a signed run that finds it good.',
    action: 'Take it out of use',
    text: 'Why',
  },
  retire: {
    title: 'Off the register',
    hint: 'Disposed of, lost or replaced: its history stays, nothing of it is due any more.',
    action: 'Take it off the register',
    text: 'What became of it',
  },
  again: {
    title: 'In the register again',
    hint: 'It is out of use until a signed run finds it good.',
    action: 'Take it in again',
    text: 'Why',
  },
  double: {
    title: 'Entered twice',
    hint: 'The other entry stays, and shows the runs of both; what was done last on either counts. This one leads there.',
    action: 'It is the same device',
    text: 'How you know',
  },
  correct: {
    title: 'Correct what was entered',
    hint: 'Runs that were made keep what they said. A new tag needs a new label.',
    action: 'Correct it',
    text: 'What was wrong',
  },
}
const dialog = computed(() => doing.value && dialogs[doing.value])
const to = {
  lend: 'lent',
  back: 'back',
  withdraw: 'out of use',
  retire: 'retired',
  again: 'in the register again',
} as const

async function call(): Promise<Answer> {
  const params = { path: { id: props.device.id } }
  const { text: reason, id, site, place, parts, minutes, outcome } = form
  switch (doing.value!) {
    case 'fault': {
      const body = { id, what: reason, reporter: form.reporter || undefined, since: form.since || undefined }
      return api.POST('/api/assets/{id}/faults', { params, body })
    }
    case 'judge': {
      const body = {
        outcome: outcome as Outcome,
        found: reason,
        parts: parts || undefined,
        minutes: minutes || undefined,
      }
      const judged = await api.POST('/api/faults/{id}/judge', { params: { path: { id: judging.value!.id } }, body })
      return { ...judged, data: judged.response.ok ? true : undefined }
    }
    case 'double':
      return api.POST('/api/assets/{id}/same-as', { params, body: { stays: form.stays, reason } })
    case 'move':
      return api.POST('/api/assets/{id}/move', { params, body: { id, site, place, reason } })
    case 'correct':
      return api.POST('/api/assets/{id}/correct', { params, body: { ...plate, reason } })
    default: {
      const body = {
        to: to[doing.value as keyof typeof to],
        whom: form.whom || undefined,
        until: form.until || undefined,
        opened: (doing.value === 'back' && form.opened) || undefined,
      }
      return api.POST('/api/assets/{id}/whereabouts', { params, body: { ...body, reason } })
    }
  }
}
async function save() {
  const done = await send(call as () => Promise<{ data?: true; response: Response }>)
  if (!done) return
  const renamed = doing.value === 'correct' && plate.tag.trim().toUpperCase() !== props.device.tag
  doing.value = undefined
  if (renamed) emit('renamed', props.device.id)
  await refreshAll()
}
const fields = [
  { key: 'tag', label: 'Tag' },
  { key: 'serial', label: 'Serial' },
  { key: 'maker', label: 'Maker' },
  { key: 'model', label: 'Model' },
  { key: 'owner', label: 'Belongs to (ward, department)' },
  { key: 'keeper', label: 'Looked after by' },
] as const
const outcomes = [
  { id: 'nothing found' as const, words: 'Nothing found: it is good' },
  { id: 'mended' as const, words: 'Mended' },
  { id: 'withdrawn' as const, words: 'Withdrawn: out of use' },
]
defineExpose({ begin })
const gone = computed(() => props.device.state === 'retired')
</script>

<template>
  <section>
    <SectionTitle class="mt-8 mb-1">Its life</SectionTitle>
    <ul class="rows">
      <li v-for="f in device.faults" :key="f.id" class="py-2">
        <p>
          <b :class="!f.judged && 'text-vermilion'">{{ f.judged ? '' : '◆ ' }}{{ f.what }}</b>
          {{ ' ' }}<span class="text-ink-2">{{ f.reporter }}, {{ localDay(f.since ?? f.at) }}</span>
        </p>
        <p v-if="f.judged" class="text-sm">
          <b>{{ f.outcome }}</b>: {{ f.found }}<template v-if="f.parts">; {{ f.parts }}</template> {{ ' '
          }}<span class="text-ink-2">{{ f.judged_by }}, {{ localDay(f.judged) }}</span>
        </p>
        <button v-else-if="can('note what was done')" type="button" class="btn mt-1" @click="begin('judge', f)">
          Judge it …
        </button>
      </li>
    </ul>
    <div class="mt-2 flex flex-wrap gap-2">
      <button v-if="can('note events of a device') && !gone" type="button" class="btn" @click="begin('fault')">
        Report a fault …
      </button>
      <template v-if="can('correct and move devices') && !gone">
        <button type="button" class="btn btn-quiet" @click="begin('move')">Move …</button>
        <button v-if="device.away" type="button" class="btn" @click="begin('back')">It is back …</button>
        <button v-else type="button" class="btn btn-quiet" @click="begin('lend')">Lend …</button>
        <button v-if="device.state !== 'out of use'" type="button" class="btn btn-quiet" @click="begin('withdraw')">
          Out of use …
        </button>
        <button type="button" class="btn btn-quiet" @click="begin('correct')">Correct …</button>
      </template>
      <template v-if="can('retire devices')">
        <button v-if="gone" type="button" class="btn" @click="begin('again')">In the register again …</button>
        <template v-else>
          <button type="button" class="btn btn-quiet" @click="begin('retire')">Off the register …</button>
          <button type="button" class="btn btn-quiet" @click="begin('double')">Entered twice …</button>
        </template>
      </template>
    </div>
    <FormDialog
      v-if="dialog"
      :title="`${dialog.title}: ${device.tag}`"
      :hint="dialog.hint"
      :action="dialog.action"
      :problem="problem"
      :busy="sending"
      @save="save"
      @close="doing = undefined"
    >
      <div class="space-y-4">
        <fieldset v-if="doing === 'judge'">
          <legend class="label">What it was: {{ judging?.what }}</legend>
          <label v-for="o in outcomes" :key="o.id" class="flex min-h-11 items-center gap-3">
            <input
              v-model="form.outcome"
              type="radio"
              name="outcome"
              required
              :value="o.id"
              class="size-5 accent-ink"
            />
            {{ o.words }}
          </label>
        </fieldset>
        <div v-if="doing === 'correct'" class="grid sm:grid-cols-2 gap-4">
          <label v-for="f in fields" :key="f.key">
            <span class="label">{{ f.label }}</span>
            <input v-model="plate[f.key]" class="field" :name="f.key" />
          </label>
          <label>
            <span class="label">Risk, 1 to 5</span>
            <input v-model.number="plate.risk" type="number" min="1" max="5" class="field num" name="risk" />
          </label>
        </div>
        <label v-if="doing === 'double'" class="block">
          <span class="label">Tag of the entry that stays</span>
          <input v-model="form.stays" class="field num" name="stays" maxlength="40" />
        </label>
        <div v-if="doing === 'move'" class="grid sm:grid-cols-2 gap-4">
          <label><span class="label">Site</span><input v-model="form.site" class="field" name="site" /></label>
          <label><span class="label">Place</span><input v-model="form.place" class="field" name="place" /></label>
        </div>
        <div v-if="doing === 'lend'" class="grid sm:grid-cols-2 gap-4">
          <label><span class="label">Who has it</span><input v-model="form.whom" class="field" name="whom" /></label>
          <label
            ><span class="label">Due back (if known)</span
            ><input v-model="form.until" type="date" class="field num" name="until"
          /></label>
        </div>
        <label v-if="doing === 'back'" class="flex min-h-11 items-start gap-3">
          <input v-model="form.opened" type="checkbox" name="opened" class="mt-1 size-5 shrink-0 accent-ink" />
          <span
            >It was repaired, opened or adjusted there.
            <span class="block text-sm text-ink-2"
              >Then it is marked STOP until what it is accepted by is signed again.</span
            ></span
          >
        </label>
        <label class="block">
          <span class="label">{{ dialog.text }}</span>
          <textarea v-model="form.text" name="text" rows="2" class="field" maxlength="400"></textarea>
        </label>
        <div v-if="doing === 'fault'" class="grid sm:grid-cols-2 gap-4">
          <label>
            <span class="label">Who noticed it (empty: you)</span>
            <input v-model="form.reporter" class="field" name="reporter" />
          </label>
          <label>
            <span class="label">Since (if known)</span>
            <input v-model="form.since" type="date" class="field num" name="since" />
          </label>
        </div>
        <div v-if="doing === 'judge'" class="grid sm:grid-cols-2 gap-4">
          <label>
            <span class="label">Parts, with their numbers</span>
            <input v-model="form.parts" class="field" name="parts" />
          </label>
          <label>
            <span class="label">Minutes of work</span>
            <input v-model.number="form.minutes" type="number" min="0" class="field num" name="minutes" />
          </label>
        </div>
      </div>
    </FormDialog>
    <AlertNote v-if="!dialog && problem" class="mt-2" :words="problem.detail" />
  </section>
</template>
