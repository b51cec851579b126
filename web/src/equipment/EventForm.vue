<script setup lang="ts">
import { reactive } from 'vue'
import FormDialog from '../components/FormDialog.vue'
import { api } from '../api/client'
import type { components } from '../api/schema.gen'
import { newId } from '../composables/useRun'
import { useCached } from '../api/queries'
import { useSend } from '../composables/useSend'

/** Something that happened to a device: what depends on it is due at once. */
const props = defineProps<{ asset: string }>()
const emit = defineEmits<{ close: [] }>()
const { refresh } = useCached()
type Kind = components['schemas']['AssetEvent']['kind']
const kinds: { id: Kind; words: string }[] = [
  { id: 'repair', words: 'Repaired' },
  { id: 'fall', words: 'Fell, or was knocked' },
  { id: 'failed check', words: 'A user check failed' },
  { id: 'sensor replaced', words: 'A sensor or part was replaced' },
  { id: 'moved', words: 'Moved to another place or height' },
  { id: 'seal broken', words: 'A seal was broken' },
  { id: 'new lot', words: 'A new lot was opened' },
  { id: 'tubing changed', words: 'Tubing was changed' },
  { id: 'software changed', words: 'Its software was changed' },
]
const form = reactive<{ id: string; kind: Kind; text: string }>({ id: newId(), kind: 'repair', text: '' })
const { problem, send } = useSend()
async function save() {
  const params = { path: { id: props.asset } }
  if (!(await send(() => api.POST('/api/assets/{id}/events', { params, body: form })))) return
  await refresh('asset')
  emit('close')
}
</script>

<template>
  <FormDialog
    title="Something happened to it"
    hint="Everything that this undoes becomes due today, and says why."
    action="Note it"
    :problem="problem"
    @save="save"
    @close="emit('close')"
  >
    <fieldset>
      <legend class="label">What</legend>
      <label v-for="k in kinds" :key="k.id" class="flex min-h-11 items-center gap-3">
        <input v-model="form.kind" type="radio" name="kind" :value="k.id" class="size-5 accent-ink" /> {{ k.words }}
      </label>
    </fieldset>
    <label class="mt-4 block">
      <span class="label">In a sentence: what, where, by whom</span>
      <textarea v-model="form.text" name="text" rows="2" class="field" maxlength="1000"></textarea>
    </label>
  </FormDialog>
</template>
