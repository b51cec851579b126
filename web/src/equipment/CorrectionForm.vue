<script setup lang="ts">
import { computed, reactive } from 'vue'
import FormDialog from '../components/FormDialog.vue'
import { answer, api } from '../api/client'
import { newId } from '../composables/useRun'
import { useSend } from '../composables/useSend'
import { significant, unitWords } from '../composables/words'
import { useWorking } from '../workings/useWorking'

/** Sets a correction of a test against a reference method: never without the samples that it rests on. */
const props = defineProps<{ device: string; test: string; unit: string }>()
const emit = defineEmits<{ close: []; changed: [] }>()
const form = reactive({ id: newId(), pairs: '', against: '', why: '' })
const { problem, send } = useSend()
const input = computed(() => (form.pairs.trim() ? { text: form.pairs, ratio: 1 } : undefined))
const { result } = useWorking('correction of a test', input, (body) =>
  answer(api.POST('/api/workings/comparison', { body })),
)
async function save() {
  const params = { path: { id: props.device, test: props.test } }
  if (!(await send(() => api.POST('/api/assets/{id}/tests/{test}/correction', { params, body: form })))) return
  emit('changed')
  emit('close')
}
</script>

<template>
  <FormDialog
    :title="`Correction of ${test}`"
    hint="Samples over the whole range, each measured by both. Afterwards measure the controls, before any patient sample."
    action="Set it"
    wide
    :problem="problem"
    @save="save"
    @close="emit('close')"
  >
    <div class="grid gap-5 md:grid-cols-2">
      <label class="block">
        <span class="label">A line a sample, in {{ unitWords(unit) }}: reference method, this analyser</span>
        <textarea v-model="form.pairs" name="pairs" rows="9" class="field num" maxlength="100000"></textarea>
      </label>
      <div>
        <p class="text-lg font-semibold" role="status">{{ result?.words ?? 'Paste at least 20 samples.' }}</p>
        <p v-if="result" class="mt-1">
          Slope <b class="num">{{ significant(result.slope, 4) }}</b>
          <span class="num text-ink-2">
            ({{ significant(result.slope_ci[0]!, 4) }} to {{ significant(result.slope_ci[1]!, 4) }})</span
          ><br />
          Intercept <b class="num">{{ significant(result.intercept, 3) }}</b>
          <span class="num text-ink-2">
            ({{ significant(result.intercept_ci[0]!, 3) }} to {{ significant(result.intercept_ci[1]!, 3) }})</span
          ><br />
          <span class="text-ink-2">{{ result.n }} samples; 95 % intervals.</span>
        </p>
        <label class="mt-4 block">
          <span class="label">Reference method, and where it was measured</span>
          <input v-model="form.against" name="against" class="field" maxlength="200" autocomplete="off" />
        </label>
        <label class="mt-4 block">
          <span class="label">Why, and what was entered into the analyser</span>
          <textarea v-model="form.why" name="why" rows="2" class="field" maxlength="1000"></textarea>
        </label>
      </div>
    </div>
  </FormDialog>
</template>
