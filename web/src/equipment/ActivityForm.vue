<script setup lang="ts">
import { computed, reactive } from 'vue'
import DayField from '../components/DayField.vue'
import FormDialog from '../components/FormDialog.vue'
import NumberField from '../components/NumberField.vue'
import { api } from '../api/client'
import type { components } from '../api/schema.gen'
import { newId } from '../composables/useRun'
import { dayWords, isoDay, numberIn } from '../composables/words'
import { useCached } from '../api/queries'
import { useSend } from '../composables/useSend'

/** One thing that becomes of an activity: done by hand, put off, moved, or its use counted. */
const props = defineProps<{
  activity: components['schemas']['ActivityView']
  kind: 'done' | 'failed' | 'defer' | 're-plan' | 'use'
}>()
const emit = defineEmits<{ close: [] }>()
const { refresh, keep } = useCached()
const today = isoDay(new Date())
const past = props.kind === 'done' || props.kind === 'failed'
const form = reactive({ id: newId(), on: past ? today : '', reason: '', amount: '', shows: '' })
const counter = computed(() => props.activity.counter)
/** The counter shows less than it did: why is asked for. */
const less = computed(() => !!form.shows && !!counter.value && numberIn(form.shows) < counter.value.shows)
const { problem, sending: busy, send } = useSend()
const words = computed(
  () =>
    ({
      done: {
        title: 'Done',
        action: 'Note it',
        hint: props.activity.outside ? 'Name the body and its document.' : '',
        on: 'Done on',
        reason: props.activity.outside ? 'By whom, and the document’s number' : 'What was done, and by whom',
      },
      failed: {
        title: 'Failed',
        action: 'Note it',
        hint: 'It does not count until it is done again. What waits for its failure is due at once.',
        on: 'Found on',
        reason: 'What was found, and by whom',
      },
      defer: {
        title: 'Defer',
        action: 'Defer it',
        hint: 'It stays on every list, with your name and reason, until it is done.',
        on: 'Until',
        reason: 'Why',
      },
      're-plan': { title: 'Re-plan', action: 'Move the day', hint: '', on: 'To', reason: 'Why' },
      use: {
        title: 'Count',
        action: 'Count it',
        hint: 'What its counter shows, or how much it was used since the last count.',
        on: '',
        reason: 'Why it shows less than before',
      },
    })[props.kind],
)
async function save() {
  const body = {
    id: form.id,
    kind: props.kind,
    on: form.on || undefined,
    reason: form.reason,
    amount: form.amount && !form.shows ? numberIn(form.amount) || 0 : undefined,
    shows: form.shows ? numberIn(form.shows) || 0 : undefined,
  }
  const params = { path: { id: props.activity.id } }
  const view = await send(() => api.POST('/api/activities/{id}', { params, body }))
  if (!view) return
  keep('asset', view, view.tag)
  await refresh('asset')
  emit('close')
}
</script>

<template>
  <FormDialog
    :title="`${words.title}: ${activity.title}`"
    :hint="words.hint"
    :action="words.action"
    :problem="problem"
    :busy="busy"
    @save="save"
    @close="emit('close')"
  >
    <div class="grid gap-4">
      <DayField
        v-if="kind !== 'use'"
        v-model="form.on"
        class="max-w-56"
        :label="words.on"
        name="on"
        :min="past ? undefined : today"
        :max="past ? today : undefined"
      />
      <template v-else>
        <NumberField v-model="form.shows" label="Its counter shows" :unit="activity.unit" name="shows" />
        <p v-if="counter" class="-mt-2 text-sm text-ink-2">
          It showed <span class="num">{{ counter.shows }}</span> {{ activity.unit }} on {{ dayWords(counter.at) }}.
        </p>
        <NumberField
          v-if="!form.shows"
          v-model="form.amount"
          label="Or used since then"
          :unit="activity.unit"
          name="amount"
        />
      </template>
      <label v-if="kind !== 'use' || less" class="block">
        <span class="label">{{ words.reason }}</span>
        <textarea v-model="form.reason" name="reason" rows="3" class="field" maxlength="1000"></textarea>
      </label>
    </div>
  </FormDialog>
</template>
