<script setup lang="ts">
import { reactive, ref } from 'vue'
import DataTable from '../components/DataTable.vue'
import DayField from '../components/DayField.vue'
import FormDialog from '../components/FormDialog.vue'
import RiskMark from '../components/RiskMark.vue'
import { api } from '../api/client'
import { useCached } from '../api/queries'
import type { components } from '../api/schema.gen'
import { useSend } from '../composables/useSend'
import { useSession } from '../composables/useSession'

/** Our devices under a safety notice, and what became of each. */
type Notice = components['schemas']['SafetyView']
type Listed = components['schemas']['SafetyListed']
const props = defineProps<{ notice: Notice }>()
const { can } = useSession()
const { keep, refresh } = useCached()
const { problem, sending, send, clear } = useSend()
const settling = ref<Listed>()
const form = reactive({ outcome: 'done' as Listed['outcome'], note: '', done: '' })
const marks = { open: '○ open', done: '● done', 'does not apply': '– does not apply' }
function open(l: Listed) {
  clear()
  settling.value = l
  Object.assign(form, { outcome: l.outcome === 'open' ? 'done' : 'open', note: '', done: '' })
}
async function save() {
  const params = { path: { id: props.notice.id, tag: settling.value!.tag } }
  const body = { ...form, done: form.done || undefined }
  const view = await send(() => api.POST('/api/safety/{id}/devices/{tag}', { params, body }))
  if (!view) return
  keep('safetyNotice', view, view.id)
  await refresh('safetyNotices', 'assets', 'asset', 'today')
  settling.value = undefined
}
</script>

<template>
  <p v-if="!notice.list.length" class="text-ink-2">None of our devices.</p>
  <div v-else class="overflow-x-auto">
    <DataTable ruled top :columns="['Device', 'Serial, software', 'Where', 'Risk', 'What became of it', '']">
      <tr v-for="l in notice.list" :key="l.asset">
        <td class="py-2">
          <RouterLink class="num font-semibold underline" :to="{ name: 'device', params: { id: l.tag } }">{{
            l.tag
          }}</RouterLink>
          <span class="block text-sm text-ink-2">{{ l.device }}</span>
        </td>
        <td class="num py-2">
          {{ l.serial || '–' }}<span v-if="l.software" class="block text-sm text-ink-2">{{ l.software }}</span>
        </td>
        <td class="py-2">
          {{ l.place }}<span class="block text-sm text-ink-2">{{ l.site }}</span>
        </td>
        <td class="py-2"><RiskMark :risk="l.risk" /></td>
        <td class="py-2">
          <span :class="l.outcome === 'open' ? 'font-semibold text-brass' : 'text-petrol'">{{ marks[l.outcome] }}</span>
          <span v-if="l.outcome === 'open' && l.unsure" class="block text-sm">{{ l.unsure }} Look at it.</span>
          <span v-if="l.note" class="block text-sm text-ink-2"
            >{{ l.note }} ({{ l.by }}<template v-if="l.done">, {{ l.done.slice(0, 10) }}</template
            >)</span
          >
        </td>
        <td class="py-2 text-right">
          <button v-if="!notice.closed && can('note what was done')" class="min-h-11 underline" @click="open(l)">
            {{ l.outcome === 'open' ? 'Settle …' : 'Change …' }}
          </button>
        </td>
      </tr>
    </DataTable>
  </div>
  <FormDialog
    v-if="settling"
    :title="`${settling.tag} under ${notice.number}`"
    action="Write it down"
    :problem="problem"
    :busy="sending"
    @save="save"
    @close="settling = undefined"
  >
    <fieldset class="flex flex-wrap gap-x-6">
      <legend class="label">What became of it</legend>
      <label v-for="(words, o) in marks" :key="o" class="flex min-h-11 items-center gap-3"
        ><input v-model="form.outcome" type="radio" name="outcome" :value="o" class="size-5 accent-ink" />
        {{ words }}</label
      >
    </fieldset>
    <label class="mt-3 block"
      ><span class="label">{{
        form.outcome === 'done'
          ? 'What was done, with parts and their lots'
          : form.outcome === 'open'
            ? 'Why it is open again'
            : 'Why it does not apply to this device'
      }}</span
      ><textarea v-model="form.note" name="note" rows="3" class="field" required maxlength="1000"></textarea>
    </label>
    <DayField
      v-if="form.outcome === 'done'"
      v-model="form.done"
      class="mt-3 max-w-60"
      name="done"
      label="On which day; left out: today"
    />
  </FormDialog>
</template>
