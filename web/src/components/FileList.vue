<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import AlertNote from './AlertNote.vue'
import FormDialog from './FormDialog.vue'
import SectionTitle from './SectionTitle.vue'
import { api } from '../api/client'
import { queries, useCached } from '../api/queries'
import type { components } from '../api/schema.gen'
import { useSend } from '../composables/useSend'
import { useSession } from '../composables/useSession'
import { localDay } from '../composables/words'

/** The documents and pictures of a device or reference: kept by their content, taken off the list with a reason. */
const props = defineProps<{ of: 'device' | 'reference'; id: string }>()
type Kept = components['schemas']['FileView']
const { can } = useSession()
const { keep, refresh } = useCached()
const query = queries.files(props.of, props.id)
const { data } = useQuery(query)
const { trouble, sending, send } = useSend()
const failed = ref<string[]>([])
/** A photograph is kept small, turned, and without what its camera wrote beside it; a document stays as it is. */
async function add(event: Event, photo = false) {
  const chosen = [...((event.target as HTMLInputElement).files ?? [])]
  failed.value = []
  for (const file of chosen) {
    const all = await send(() =>
      api.POST('/api/files', {
        params: { query: { of: props.of, id: props.id, name: file.name, photo } },
        body: file as never,
        bodySerializer: (b: unknown) => b as Blob,
        headers: { 'Content-Type': 'application/octet-stream' },
      }),
    )
    if (all) keep('files', all, props.of, props.id)
    else failed.value.push(`${file.name}: ${trouble.value}`)
  }
  ;(event.target as HTMLInputElement).value = ''
}
const ending = ref<Kept>()
const why = ref('')
const { problem, sending: busy, send: post } = useSend()
async function end() {
  const { id } = ending.value!
  const done = await post(async () => {
    const ended = await api.POST('/api/files/{id}/end', { params: { path: { id } }, body: { reason: why.value } })
    return { ...ended, data: ended.response.ok ? true : undefined }
  })
  if (!done) return
  ending.value = undefined
  why.value = ''
  await refresh('files')
}
const shown = computed(() => data.value?.files ?? [])
</script>

<template>
  <section v-if="shown.length || can('keep files')">
    <SectionTitle class="mt-8 mb-1">Documents and pictures</SectionTitle>
    <ul class="rows">
      <li v-for="f in shown" :key="f.id" class="flex items-center gap-3 py-1">
        <div class="min-w-0 grow">
          <a class="block min-h-11 content-center truncate underline" :href="`/api/files/${f.id}`" target="_blank">{{
            f.name
          }}</a>
          <p class="text-sm text-ink-2">{{ f.size }} · {{ localDay(f.at) }} · {{ f.by }}</p>
        </div>
        <button v-if="can('keep files')" type="button" class="btn" @click="ending = f">Take off …</button>
      </li>
    </ul>
    <p v-for="words in failed" :key="words"><AlertNote class="mt-2" :words="words" /></p>
    <label v-if="can('keep files')" class="btn mt-2 cursor-pointer focus-within:outline-3">
      {{ sending ? 'Keeping it …' : 'Add a document or picture …' }}
      <input
        name="file"
        type="file"
        class="sr-only"
        multiple
        accept="application/pdf,image/jpeg,image/png,text/plain"
        :disabled="sending"
        @change="add"
      />
    </label>
    <label v-if="can('keep files')" class="btn mt-2 ml-2 cursor-pointer focus-within:outline-3">
      Take a photograph …
      <input
        name="photograph"
        type="file"
        class="sr-only"
        accept="image/jpeg,image/png"
        capture="environment"
        :disabled="sending"
        @change="add($event, true)"
      />
    </label>
    <p v-if="can('keep files')" class="mt-1 text-sm text-ink-2">
      PDF, JPEG, PNG or plain text; {{ data?.room }} used. A photograph is made small, and where and with what it was
      taken is left out.
    </p>
    <FormDialog
      v-if="ending"
      :title="`Take “${ending.name}” off the list`"
      hint="It stays in the record, with your reason."
      action="Take it off"
      :problem="problem"
      :busy="busy"
      @save="end"
      @close="ending = undefined"
    >
      <label class="block">
        <span class="label">Why</span>
        <textarea v-model="why" name="reason" rows="2" class="field" maxlength="400"></textarea>
      </label>
    </FormDialog>
  </section>
</template>
