<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { reactive, ref, watchEffect } from 'vue'
import FormOutcome from '../components/FormOutcome.vue'
import NumberField from '../components/NumberField.vue'
import SectionTitle from '../components/SectionTitle.vue'
import { api } from '../api/client'
import { queries, useCached } from '../api/queries'
import { useSend } from '../composables/useSend'
import { useSession } from '../composables/useSession'
import { numberIn } from '../composables/words'

/** How much room there is for documents and pictures. */
const { can } = useSession()
const { keep } = useCached()
const { data } = useQuery(queries.fileRoom())
const fields = [
  { id: 'each' as const, words: 'One file, at most' },
  { id: 'of' as const, words: 'One device or reference' },
  { id: 'all' as const, words: 'All together' },
]
const form = reactive({ each: '', of: '', all: '' })
watchEffect(() => {
  if (data.value) for (const { id } of fields) form[id] = String(data.value[id] / 1e6)
})
const { problem, sending, send } = useSend()
const saved = ref('')
async function set() {
  saved.value = ''
  const bytes = (text: string) => Math.round(numberIn(text) * 1e6)
  const body = { each: bytes(form.each), of: bytes(form.of), all: bytes(form.all) }
  const room = await send(() => api.POST('/api/house/files', { body }))
  if (!room) return
  keep('fileRoom', room)
  saved.value = 'It counts from now on; what is kept already stays.'
}
</script>

<template>
  <div>
    <SectionTitle>Documents and pictures</SectionTitle>
    <p class="mt-1 text-ink-2">They are part of the record and of every copy: each is kept once, by its content.</p>
    <form class="mt-2 flex flex-wrap items-end gap-4" @submit.prevent="set">
      <NumberField
        v-for="f in fields"
        :key="f.id"
        v-model="form[f.id]"
        class="w-44"
        :label="f.words"
        :name="f.id"
        unit="MB"
      />
      <button v-if="can('back up')" class="btn" :disabled="sending">Set it</button>
      <a v-if="can('back up')" class="btn" href="/api/files.zip">All of them (ZIP)</a>
    </form>
    <FormOutcome class="mt-2" :saved="saved" :problem="problem" />
  </div>
</template>
