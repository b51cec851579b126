<script setup lang="ts">
import { computed, reactive } from 'vue'
import { useRoute } from 'vue-router'
import NeedleMark from '../components/NeedleMark.vue'
import NumberField from '../components/NumberField.vue'
import ZoneMark from '../components/ZoneMark.vue'
import WorkingSheet from './WorkingSheet.vue'
import { answer, api } from '../api/client'
import { numberIn, significant } from '../composables/words'
import { useWorking } from './useWorking'

const query = useRoute().query as Record<string, string>
const form = reactive({
  tolerance: query.tolerance ?? '±(0.43 + 8 % of reading)',
  reference: query.reference ?? '5.02',
  error: query.error ?? '-0.31',
  u: query.u ?? '0.12',
  k: query.k ?? '2',
  prior: '',
})
const input = computed(() => {
  const [reference, error, u, k] = [form.reference, form.error, form.u, form.k].map(numberIn)
  const prior = form.prior ? numberIn(form.prior) : 0
  if (![reference, error, u, k, prior].every(Number.isFinite)) return undefined
  return { tolerance: form.tolerance, reference: reference!, error: error!, u: u!, k: k!, prior_sd: prior || undefined }
})
const { result, problem } = useWorking('tolerance', input, (body) =>
  answer(api.POST('/api/workings/tolerance', { body })),
)
const percent = (p: number | undefined) =>
  p !== undefined && p > 0.99995 ? 'over 99.99 %' : `${significant(100 * (p ?? 0), 3)} %`
</script>

<template>
  <WorkingSheet
    title="Tolerance and risk"
    about="What an error means, given how well it is known, under each decision rule."
    :problem="problem"
    :formula="result?.formula"
    :source="result?.source"
  >
    <template #in>
      <label class="block">
        <span class="label">Tolerance: ±2 · ±5 % of reading · ±(0.43 + 8 % of reading) · max(±2, ±5 % of reading)</span>
        <input v-model="form.tolerance" name="tolerance" class="field num" />
      </label>
      <div class="mt-4 grid sm:grid-cols-2 gap-4">
        <NumberField v-model="form.reference" label="Reference" name="reference" />
        <NumberField v-model="form.error" label="Error (shown − reference)" name="error" />
        <NumberField v-model="form.u" label="U, expanded" name="u" />
        <NumberField v-model="form.k" label="k" name="k" />
      </div>
      <div class="mt-4">
        <NumberField
          v-model="form.prior"
          label="Spread of the true errors of such devices, 1 SD"
          optional
          name="prior"
        />
      </div>
    </template>
    <template #out>
      <div class="flex items-center gap-5">
        <NeedleMark :found="result ? result : undefined" :width="150" />
        <div>
          <p class="flex items-center gap-2 text-xl font-semibold">
            <ZoneMark :zone="result?.zone" :size="20" />{{ result?.words }}
          </p>
          <p>
            Limits <span class="num">{{ significant(result?.low, 4) }}</span> to
            <span class="num">{{ significant(result?.high, 4) }}</span>, tolerance ÷ U (TUR)
            <span class="num">{{ significant(result?.tur, 3) }}</span>
          </p>
          <p>
            The true error is inside with a probability of
            <span class="num">{{ percent(result?.conformance_probability) }}</span>
          </p>
        </div>
      </div>
      <ul class="rows mt-4 border-y border-line">
        <li v-for="r in result?.rules" :key="r.kind" class="grid sm:grid-cols-[110px_1fr] gap-3 py-2">
          <span class="font-semibold" :class="r.passes ? 'text-petrol' : 'text-vermilion'">
            {{ r.passes ? '● conforms' : '◆ does not' }}
          </span>
          <span>
            {{ r.meaning }}<span v-if="r.warning" class="block text-sm text-brass">{{ r.warning }}.</span>
          </span>
        </li>
      </ul>
      <p v-if="result?.risk" class="mt-3">
        Over all such devices, accepted inside the limits:
        <span class="num">{{ percent(result.risk.consumer_risk) }}</span> would be accepted although outside,
        <span class="num">{{ percent(result.risk.producer_risk) }}</span> refused although inside.
      </p>
    </template>
  </WorkingSheet>
</template>
