<script setup lang="ts">
import { computed, reactive, ref } from 'vue'
import { useQuery } from '@tanstack/vue-query'
import AskDialog from '../components/AskDialog.vue'
import DayField from '../components/DayField.vue'
import DataTable from '../components/DataTable.vue'
import FormOutcome from '../components/FormOutcome.vue'
import SectionTitle from '../components/SectionTitle.vue'
import { api } from '../api/client'
import { queries, useCached } from '../api/queries'
import { useSend } from '../composables/useSend'
import { useSession } from '../composables/useSession'
import { dayWords, familyWords, localDay } from '../composables/words'
import { newId } from '../composables/useRun'
import type { House } from './useHouse'

/** Who may do which devices alone: on whose word, on what ground, until when. */
const props = defineProps<{ house: House }>()
const { can, person } = useSession()
const { keep } = useCached()
const { data: all } = useQuery(queries.competences())
const { problem, sending, send } = useSend()
const saved = ref('')
const fresh = reactive({
  person: '',
  family: '',
  ground: 'statement' as 'statement' | 'examination',
  note: '',
  until: '',
})
const people = computed(() =>
  props.house.people.filter(
    (p) => p.active && (p.role === 'technician' || p.role === 'lead') && p.id !== person.value?.id,
  ),
)
const named = computed(() => [...new Set(all.value?.map((c) => c.family))].sort())
const rest = computed(() => props.house.families.filter((f) => !named.value.includes(f)))
const of = (family: string) => all.value?.filter((c) => c.family === family) ?? []
async function name() {
  const body = { ...fresh, id: newId(), until: fresh.until || undefined }
  const next = await send(() => api.POST('/api/house/competences', { body }))
  if (!next) return
  keep('competences', next)
  saved.value = 'It is on record, and holds from now on.'
  fresh.person = fresh.note = fresh.until = ''
}
const ending = ref<string>()
async function end(reason: string) {
  const id = ending.value!
  ending.value = undefined
  const next = await send(() =>
    api.POST('/api/house/competences/{id}/end', { params: { path: { id } }, body: { reason } }),
  )
  if (next) keep('competences', next)
}
</script>

<template>
  <div class="max-w-5xl">
    <SectionTitle>Who may do what alone</SectionTitle>
    <p class="py-1 text-ink-2">
      Only those named do a family of devices alone; anyone else works under one of them, who countersigns. What nobody
      was ever named for is open to technicians and leads. A trainee always works under somebody.
    </p>
    <FormOutcome :saved="saved" :problem="problem" />
    <DataTable ruled :columns="['Devices', 'Who', 'Ground', 'Named by', 'Until', '']">
      <template v-for="f in named" :key="f">
        <tr v-for="(c, i) in of(f)" :key="c.id" :class="c.holds ? '' : 'text-ink-2'">
          <td class="py-2 pr-4 font-semibold">{{ i ? '' : familyWords(f) }}</td>
          <td class="py-2 pr-4">{{ c.name }}</td>
          <td class="py-2 pr-4">
            {{ c.ground }}<span v-if="c.note" class="text-ink-2">: {{ c.note }}</span>
          </td>
          <td class="py-2 pr-4">{{ c.by }}, {{ localDay(c.at) }}</td>
          <td class="py-2 pr-4">
            <span v-if="!c.until" class="text-ink-2">no end</span>
            <template v-else-if="c.holds">{{ dayWords(c.until) }}</template>
            <b v-else>ended {{ localDay(c.until) }}</b>
          </td>
          <td class="py-2">
            <button
              v-if="c.holds && can('name who may do what alone')"
              class="min-h-11 underline"
              @click="ending = c.id"
            >
              Take it back …
            </button>
          </td>
        </tr>
      </template>
    </DataTable>
    <p v-if="rest.length" class="mt-2 text-ink-2">
      Open to technicians and leads: {{ rest.map((f) => familyWords(f)).join(', ') }}.
    </p>
    <form v-if="can('name who may do what alone')" class="mt-4 flex flex-wrap items-end gap-4" @submit.prevent="name">
      <label
        ><span class="label">Who</span>
        <select v-model="fresh.person" name="person" class="field" required>
          <option value="">choose …</option>
          <option v-for="p in people" :key="p.id" :value="p.id">{{ p.name }}</option>
        </select></label
      >
      <label
        ><span class="label">Devices</span>
        <select v-model="fresh.family" name="family" class="field" required>
          <option value="">choose …</option>
          <option v-for="f in house.families" :key="f" :value="f">{{ familyWords(f) }}</option>
        </select></label
      >
      <label
        ><span class="label">Ground</span>
        <select v-model="fresh.ground" name="ground" class="field">
          <option>statement</option>
          <option>examination</option>
        </select></label
      >
      <label class="grow"
        ><span class="label">What it rests on</span
        ><input
          v-model="fresh.note"
          name="note"
          class="field"
          maxlength="400"
          :required="fresh.ground === 'examination'"
      /></label>
      <DayField v-model="fresh.until" name="last" label="Last day, if any" />
      <button class="btn btn-main" :disabled="sending">Name them</button>
    </form>
    <AskDialog
      v-if="ending"
      title="Take it back"
      hint="It stays on record that it held until now. Runs that are open go on under somebody who may."
      label="Why"
      action="Take it back"
      @done="end"
      @close="ending = undefined"
    />
  </div>
</template>
