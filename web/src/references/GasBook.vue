<script setup lang="ts">
import { ref } from 'vue'
import FormDialog from '../components/FormDialog.vue'
import NumberField from '../components/NumberField.vue'
import { api, type Reference } from '../api/client'
import { newId } from '../composables/useRun'
import { localDay, numberIn, significant } from '../composables/words'
import DataTable from '../components/DataTable.vue'
import { useCached } from '../api/queries'
import { useSend } from '../composables/useSend'

/** A cylinder's book: gauge readings, what was used, and what left without being used. */
const props = defineProps<{ reference: Reference; mayWrite: boolean }>()
const { keep } = useCached()
const reading = ref(false)
const bar = ref('')
const metered = ref('')
const note = ref('')
const { problem, send, refuse, clear } = useSend()
let id = ''
function begin() {
  id = newId()
  bar.value = note.value = ''
  metered.value = String(Math.round(props.reference.expected_l))
  clear()
  reading.value = true
}
async function save() {
  const [b, m] = [numberIn(bar.value), numberIn(metered.value || '0')]
  if (!Number.isFinite(b) || !Number.isFinite(m)) {
    refuse('The gauge and the litres are numbers, such as 61 or 12,5. Nothing was recorded.')
    return
  }
  const params = { path: { id: props.reference.id } }
  const body = { id, bar: b, metered_l: m, note: note.value || undefined }
  const saved = await send(() => api.POST('/api/standards/{id}/gauge', { params, body }))
  if (!saved) return
  keep('reference', saved, props.reference.tag)
  reading.value = false
}
</script>

<template>
  <section>
    <div class="mt-6 flex flex-wrap items-end gap-4 border-b-2 border-ink pb-1">
      <h2 class="mr-auto text-lg">Gas book</h2>
      <span class="text-sm text-ink-2"
        >{{ reference.cylinder?.water_volume_l }} L water volume, reserve {{ reference.cylinder?.reserve_bar }} bar
      </span>
      <button v-if="mayWrite" class="btn" @click="begin">Read the gauge</button>
    </div>
    <DataTable
      :columns="[
        'Day',
        'By',
        { title: 'Gauge', right: true },
        { title: 'Content', right: true },
        { title: 'Used', right: true },
        { title: 'Lost', right: true },
        { title: 'Note', class: 'pl-4' },
      ]"
    >
      <tr v-for="g in reference.book" :key="g.at">
        <td class="py-2">{{ localDay(g.at) }}</td>
        <td>{{ g.by }}</td>
        <td class="num text-right">{{ significant(g.bar, 3) }} bar</td>
        <td class="num text-right">{{ Math.round(g.content_l) }} L</td>
        <td class="num text-right">{{ g.loss ? `${Math.round(g.metered_l)} L` : '' }}</td>
        <td class="num text-right" :class="g.loss?.flagged && 'font-semibold text-vermilion'">
          <template v-if="g.loss">{{ g.loss.flagged ? `◆ ${Math.round(g.loss.lost_l)} L` : '–' }}</template>
        </td>
        <td class="pl-4 text-sm text-ink-2">{{ g.note }}</td>
      </tr>
    </DataTable>
    <p v-if="!reference.book.length" class="py-2 text-ink-2">No gauge reading yet.</p>
    <p class="mt-1 text-sm text-ink-2">
      Lost is what left by the gauge and was not used; a difference within one reading of the gauge (1 bar) is shown as
      –.
    </p>
    <FormDialog
      v-if="reading"
      :title="`Gauge of ${reference.tag}`"
      hint="Before or after use, with the valve open and no flow."
      action="Note it"
      :problem="problem"
      @save="save"
      @close="reading = false"
    >
      <div class="grid sm:grid-cols-2 gap-4">
        <NumberField v-model="bar" label="Gauge" unit="bar" name="bar" />
        <NumberField v-model="metered" label="Used since the last reading" unit="L" name="metered" />
      </div>
      <p class="mt-1 text-sm text-ink-2">
        The runs since then should have taken about {{ Math.round(reference.expected_l) }} L: an estimate from their
        procedures.
      </p>
      <label class="mt-3 block"
        ><span class="label">Note</span><input v-model="note" name="note" class="field"
      /></label>
    </FormDialog>
  </section>
</template>
