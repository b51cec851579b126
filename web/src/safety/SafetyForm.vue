<script setup lang="ts">
import { reactive } from 'vue'
import { useRouter } from 'vue-router'
import DayField from '../components/DayField.vue'
import FormDialog from '../components/FormDialog.vue'
import { api } from '../api/client'
import { useCached } from '../api/queries'
import { newId } from '../composables/useRun'
import { useSend } from '../composables/useSend'

/** A maker's or an authority's warning, as it came: what it is about, and what is to be done. */
const emit = defineEmits<{ close: [] }>()
const router = useRouter()
const { keep, refresh } = useCached()
const { problem, sending, send } = useSend()
const form = reactive({
  id: newId(),
  number: '',
  issuer: '',
  title: '',
  text: '',
  dated: '',
  until: '',
  stops: false,
  maker: '',
  models: '',
  serials: '',
  versions: '',
})
async function save() {
  const body = { ...form, until: form.until || undefined }
  const view = await send(() => api.POST('/api/safety', { body }))
  if (!view) return
  keep('safetyNotice', view, view.id)
  await refresh('safetyNotices', 'assets', 'asset', 'today')
  emit('close')
  await router.push({ name: 'safety', params: { id: view.id } })
}
</script>

<template>
  <FormDialog
    wide
    title="A safety notice"
    hint="As its issuer has it. Which of our devices it is about is found at once, and for those that come later."
    action="Find our devices"
    :problem="problem"
    :busy="sending"
    @save="save"
    @close="emit('close')"
  >
    <div class="grid gap-4 sm:grid-cols-2">
      <label
        ><span class="label">Number</span
        ><input v-model="form.number" name="number" class="field" required maxlength="60"
      /></label>
      <label
        ><span class="label">From: the maker, an authority</span
        ><input v-model="form.issuer" name="issuer" class="field" required maxlength="120"
      /></label>
      <label class="sm:col-span-2"
        ><span class="label">What it is about, in a few words</span
        ><input v-model="form.title" name="title" class="field" required maxlength="200"
      /></label>
      <label class="sm:col-span-2"
        ><span class="label">What is wrong, and what is to be done with each device</span
        ><textarea v-model="form.text" name="text" rows="4" class="field" required maxlength="8000"></textarea>
      </label>
      <DayField v-model="form.dated" name="dated" label="Dated" />
      <DayField v-model="form.until" name="until" label="To be done by; left out: no day is given" />
      <label
        ><span class="label">Maker of the devices</span
        ><input v-model="form.maker" name="maker" class="field" required maxlength="120"
      /></label>
      <label
        ><span class="label">Models, with commas; left out: all</span
        ><input v-model="form.models" name="models" class="field" maxlength="1000"
      /></label>
      <label
        ><span class="label">Serial numbers, as 1200 to 1299, 1402; left out: all</span
        ><input v-model="form.serials" name="serials" class="field" maxlength="4000"
      /></label>
      <label
        ><span class="label">Software, as up to 2.3; left out: any</span
        ><input v-model="form.versions" name="versions" class="field" maxlength="1000"
      /></label>
      <label class="flex min-h-11 items-center gap-3 sm:col-span-2"
        ><input v-model="form.stops" type="checkbox" name="stops" class="size-5 accent-ink" /> A device is not to be
        used until it was done</label
      >
    </div>
  </FormDialog>
</template>
