<script setup lang="ts">
import { reactive, ref } from 'vue'
import { useRouter } from 'vue-router'
import DayField from '../components/DayField.vue'
import FormDialog from '../components/FormDialog.vue'
import NumberField from '../components/NumberField.vue'
import { api, type Reference } from '../api/client'
import { newId } from '../composables/useRun'
import { numberIn, unitWords } from '../composables/words'
import { useCached } from '../api/queries'
import { useSend } from '../composables/useSend'

/** Enters a certificate: a new one of a reference, or a new reference with its first. */
const props = defineProps<{ of?: Reference }>()
const emit = defineEmits<{ close: [] }>()
const router = useRouter()
const { refresh, keep } = useCached()
const id = newId()
const { problem, sending: busy, send } = useSend()
const reference = reactive({ tag: '', name: '', kind: '', maker: '', serial: '', place: 'Workshop', lot: '' })
const certificate = reactive({ number: '', issuer: props.of?.certificate.issuer ?? '', on: '', due: '', parent: '' })
const accredited = ref(props.of?.certificate.accredited ?? true)

const written = (v: number | undefined) => (v === undefined ? '' : String(v))
const empty = () => ({ quantity: '', piece: '', value: '', from: '', to: '', unit: '', u: '', k: '2', drift: '' })
const lines = ref(
  props.of?.values?.map((v) => ({
    quantity: v.quantity,
    piece: v.piece ?? '',
    value: v.from || v.to ? '' : written(v.value),
    from: v.from || v.to ? written(v.from ?? 0) : '',
    to: written(v.to),
    unit: v.unit,
    u: written(v.u),
    k: written(v.k),
    drift: written(v.drift_per_year),
  })) ?? [empty()],
)
/** The single values that are certified now: what the laboratory found of each before it changed anything. */
const found = ref(
  (props.of?.values ?? [])
    .filter((v) => !v.from && !v.to)
    .map((v) => ({ quantity: v.quantity, piece: v.piece, unit: v.unit, certified: v.value ?? 0, value: '', u: '' })),
)
const fields = [
  { key: 'tag', label: 'Tag on its label', required: true },
  { key: 'name', label: 'What it is', required: true },
  { key: 'kind', label: 'Kind (gas, weights, syringe …)', required: true },
  { key: 'maker', label: 'Maker', required: false },
  { key: 'serial', label: 'Serial', required: false },
  { key: 'lot', label: 'Lot, if it is used up', required: false },
] as const

function body() {
  const number = (text: string) => {
    const n = numberIn(text)
    return Number.isFinite(n) ? n : undefined
  }
  return {
    number: certificate.number,
    issuer: certificate.issuer,
    on: certificate.on || undefined,
    due_on: certificate.due || undefined,
    accredited: accredited.value,
    parent: certificate.parent || undefined,
    values: lines.value
      .filter((l) => l.quantity || l.u || l.value || l.to)
      .map((l) => ({
        quantity: l.quantity,
        piece: l.piece || undefined,
        value: number(l.value),
        from: number(l.from),
        to: number(l.to),
        unit: l.unit,
        u: number(l.u) ?? 0,
        k: number(l.k) ?? 0,
        drift_per_year: number(l.drift),
      })),
    found: found.value
      .filter((f) => f.value)
      .map((f) => ({ quantity: f.quantity, piece: f.piece, value: number(f.value) ?? 0, u: number(f.u) ?? 0 })),
  }
}

async function save() {
  const of = props.of
  const saved = await send(() =>
    of
      ? api.POST('/api/standards/{id}/certificates', {
          params: { path: { id: of.id } },
          body: { id, certificate: body() },
        })
      : api.POST('/api/standards', { body: { id, ...reference, certificate: body() } }),
  )
  if (!saved) return
  refresh('standards')
  keep('reference', saved, saved.tag)
  emit('close')
  router.push({ name: 'reference', params: { id: saved.tag } })
}
/** What a certified line says, under its column's title. */
const titles = {
  quantity: 'Quantity',
  value: 'Value',
  from: 'from',
  to: 'to',
  unit: 'Unit (UCUM)',
  u: 'U',
  k: 'k',
  drift: 'Drift in a year ±',
}
const columns = Object.keys(titles) as (keyof typeof titles)[]
</script>

<template>
  <FormDialog
    :title="of ? `New certificate of ${of.tag}` : 'Enter a reference'"
    hint="What the certificate states, as it states it. Earlier certificates are kept."
    action="Enter it"
    :problem="problem"
    :busy="busy"
    wide
    @save="save"
    @close="emit('close')"
  >
    <div v-if="!of" class="mb-5 grid sm:grid-cols-3 gap-4">
      <label v-for="f in fields" :key="f.key">
        <span class="label">{{ f.label }}</span>
        <input v-model="reference[f.key]" :name="f.key" class="field" :required="f.required" />
      </label>
    </div>
    <div class="grid sm:grid-cols-4 gap-4">
      <label>
        <span class="label">Certificate number</span>
        <input v-model="certificate.number" name="number" class="field num" />
      </label>
      <label class="sm:col-span-2">
        <span class="label">Issued by</span><input v-model="certificate.issuer" name="issuer" class="field" />
      </label>
      <label class="flex min-h-11 items-end gap-2 pb-2">
        <input v-model="accredited" type="checkbox" class="size-5" />accredited
      </label>
      <DayField v-model="certificate.on" label="Certified on" name="on" />
      <DayField v-model="certificate.due" label="Counts until" name="due_on" />
      <label v-if="!accredited" class="sm:col-span-2">
        <span class="label">Calibrated against (tag)</span>
        <input v-model="certificate.parent" name="parent" class="field num" />
      </label>
    </div>
    <table class="mt-5 w-full text-left max-sm:stacked">
      <caption class="pb-1 text-left font-semibold">
        Certified values: one value, or a range
      </caption>
      <thead class="text-sm text-ink-2">
        <tr>
          <th v-for="h in titles" :key="h" class="font-normal">
            {{ h }}
          </th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="(l, i) in lines" :key="i">
          <td v-for="key in columns" :key="key" class="pr-2 pb-2" :data-column="titles[key]">
            <input
              v-model="l[key]"
              :name="`values[${i}].${key === 'drift' ? 'drift_per_year' : key}`"
              class="field num"
              :aria-label="`${key} of line ${i + 1}`"
            />
          </td>
        </tr>
      </tbody>
    </table>
    <button type="button" class="btn btn-quiet" @click="lines.push(empty())">One more line</button>
    <template v-if="found.length">
      <p class="mt-4 font-semibold">As found by the laboratory, before it changed anything</p>
      <p class="text-sm text-ink-2">
        Where its paper says so. Outside of what was certified, what rested on it is looked at.
      </p>
      <div v-for="(f, i) in found" :key="i" class="mt-2 grid sm:grid-cols-[1fr_10rem_10rem] items-end gap-3">
        <span class="pb-3"
          >{{ f.piece ?? f.quantity }}, certified
          <span class="num">{{ f.certified }} {{ unitWords(f.unit) }}</span></span
        >
        <NumberField v-model="f.value" label="Found" :name="`found[${i}].value`" />
        <NumberField v-model="f.u" label="U (k = 2)" :name="`found[${i}].u`" />
      </div>
    </template>
  </FormDialog>
</template>
