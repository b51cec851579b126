<script setup lang="ts">
import { computed, reactive } from 'vue'
import { useQuery } from '@tanstack/vue-query'
import FormDialog from '../components/FormDialog.vue'
import { api } from '../api/client'
import { queries, useCached } from '../api/queries'
import type { components } from '../api/schema.gen'
import { useSend } from '../composables/useSend'

/** Who outside is told, of which devices, and how. */
type Contact = components['schemas']['ContactView']
const props = defineProps<{ contact?: Contact }>()
const emit = defineEmits<{ close: [] }>()
const { keep } = useCached()
const { problem, sending, send } = useSend()
const form = reactive({
  id: props.contact?.id ?? '',
  name: props.contact?.name ?? '',
  mail: props.contact?.mail ?? '',
  site: props.contact?.site ?? '',
  place: props.contact?.place ?? '',
  owner: props.contact?.owner ?? '',
  digest: props.contact?.digest ?? true,
})
const { data: choices } = useQuery(queries.choices(computed(() => form.site)))
async function save() {
  const view = await send(() => api.POST('/api/telling/contacts', { body: form }))
  if (!view) return
  keep('telling', view)
  emit('close')
}
</script>

<template>
  <FormDialog
    :title="contact ? contact.name : 'Somebody who is told'"
    hint="A ward, an office, whoever answers for a clinic: what concerns their devices goes to them."
    action="Keep it"
    :problem="problem"
    :busy="sending"
    @save="save"
    @close="emit('close')"
  >
    <div class="grid gap-4 sm:grid-cols-2">
      <label
        ><span class="label">Who</span
        ><input v-model="form.name" name="name" class="field" required maxlength="120" autocomplete="off"
      /></label>
      <label
        ><span class="label">Mail address; left out: their page alone</span
        ><input v-model="form.mail" name="mail" type="email" class="field" maxlength="200" autocomplete="off"
      /></label>
      <label
        ><span class="label">Devices of the site</span>
        <select v-model="form.site" name="site" class="field">
          <option value="">any</option>
          <option v-for="s in choices?.sites" :key="s">{{ s }}</option>
        </select></label
      >
      <label
        ><span class="label">At the place</span>
        <select v-model="form.place" name="place" class="field" :disabled="!form.site">
          <option value="">any</option>
          <option v-for="p in choices?.places" :key="p">{{ p }}</option>
        </select></label
      >
      <label
        ><span class="label">That belong to</span>
        <select v-model="form.owner" name="owner" class="field">
          <option value="">anyone</option>
          <option v-for="o in choices?.owners" :key="o">{{ o }}</option>
        </select></label
      >
      <label class="flex min-h-11 items-center gap-3 self-end"
        ><input v-model="form.digest" type="checkbox" name="digest" class="size-5 accent-ink" /> Send them each week how
        their devices stand</label
      >
    </div>
  </FormDialog>
</template>
