<script setup lang="ts">
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'
import { useQuery } from '@tanstack/vue-query'
import { api, answer } from '../api/client'
import { queries, useCached } from '../api/queries'
import FormDialog from '../components/FormDialog.vue'
import { useSend } from '../composables/useSend'
import { familyWords } from '../composables/words'
import { asAnother, beginDraft } from './beginDraft'

/** A procedure of one's own begins from a template, or from one that is in use. */
const emit = defineEmits<{ close: [] }>()
const router = useRouter()
const { refresh } = useCached()
const { data: templates } = useQuery(queries.procedureTemplates())
const { data: house } = useQuery(queries.house())
const from = ref('')
const title = ref('')
const { problem, sending, send, refuse } = useSend()
const id = crypto.randomUUID()
const picked = computed(() => templates.value?.find((t) => `template/${t.id}` === from.value))
async function begin() {
  if (!from.value) return refuse('Pick what it begins from.')
  if (!title.value.trim()) return refuse('Give it a title, as it stands on the certificate.')
  const text =
    picked.value?.text ?? (await answer(api.GET('/api/procedures/{id}', { params: { path: { id: from.value } } }))).text
  const view = await send(() => beginDraft(id, asAnother(text, title.value.trim()), ''))
  if (!view) return
  await refresh('drafts')
  await router.push({ name: 'draft', params: { id: view.id } })
}
</script>

<template>
  <FormDialog
    title="Write a procedure"
    hint="It is a draft until a lead who did not write in it releases it."
    action="Begin the draft"
    :problem="problem"
    :busy="sending"
    wide
    @save="begin"
    @close="emit('close')"
  >
    <label class="block">
      <span class="label">Its title, as it stands on the certificate</span>
      <input v-model="title" name="title" class="field" maxlength="120" />
    </label>
    <fieldset class="mt-4">
      <legend class="label">It begins from</legend>
      <label
        v-for="t in templates ?? []"
        :key="t.id"
        class="flex min-h-12 items-start gap-3 border-b border-line py-2 hover:bg-brass-wash"
      >
        <input v-model="from" type="radio" name="from" class="mt-1 size-5" :value="`template/${t.id}`" />
        <span
          ><b>{{ t.title.replace('My device, ', '').replace(/^./, (c) => c.toUpperCase()) }}</b
          ><span class="block text-sm text-ink-2">{{ t.about }}</span></span
        >
      </label>
      <label class="mt-3 block">
        <span class="label">or from one that is in use</span>
        <select v-model="from" name="procedure" class="field">
          <option value="">–</option>
          <option v-for="p in house?.procedures ?? []" :key="p.id" :value="p.id">
            {{ p.title }} ({{ familyWords(p.family) }})
          </option>
        </select>
      </label>
    </fieldset>
  </FormDialog>
</template>
