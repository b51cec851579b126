<script setup lang="ts">
import { computed, reactive, ref, watch } from 'vue'
import DataTable from '../components/DataTable.vue'
import FormOutcome from '../components/FormOutcome.vue'
import SectionTitle from '../components/SectionTitle.vue'
import { api } from '../api/client'
import type { components } from '../api/schema.gen'
import { useSession } from '../composables/useSession'
import { unitWords } from '../composables/words'
import { useHouse } from './useHouse'

/** What certificates carry: address, logo, and what the lab is accredited for. */
const { data, problem, saved, change } = useHouse()
const { can } = useSession()
type Order = components['schemas']['LetterheadOrder']
const paper = reactive<{ value?: Order }>({})
watch(
  data,
  (d) => {
    if (!d || paper.value) return
    const { address = '', accreditation = {} } = d.lab.letterhead ?? {}
    paper.value = JSON.parse(JSON.stringify({ address, accreditation: { scope: [], ...accreditation } }))
  },
  { immediate: true },
)
const measures = computed(() =>
  (data.value?.procedures ?? []).flatMap((p) =>
    p.measures.map((m) => ({
      key: `${p.id} ${m.id}`,
      procedure: p.id,
      measure: m.id,
      unit: m.unit,
      words: `${p.title}: ${m.title}`,
    })),
  ),
)
const chosen = ref('')
function add() {
  const m = measures.value.find((x) => x.key === chosen.value)
  if (!m || !paper.value) return
  const line = { procedure: m.procedure, measure: m.measure, from: 0, to: 0, unit: m.unit, cmc: 0 }
  paper.value.accreditation.scope = [...(paper.value.accreditation.scope ?? []), line]
  chosen.value = ''
}
const named = (procedure: string, measure: string) =>
  measures.value.find((m) => m.procedure === procedure && m.measure === measure)?.words ?? `${procedure}: ${measure}`
const keep = () =>
  change(() => api.POST('/api/house/letterhead', { body: paper.value! }), 'Kept. Runs opened from now on carry it.')

const hash = computed(() => data.value?.lab.letterhead?.logo)
async function logo(picture: string) {
  await change(
    () => api.POST('/api/house/logo', { body: { picture } }),
    picture ? 'The logo is kept. Runs opened from now on carry it.' : 'Papers carry no logo from now on.',
  )
}
async function choose(event: Event) {
  const file = (event.target as HTMLInputElement).files?.[0]
  if (!file) return
  const text = await new Promise<string>((done) => {
    const reader = new FileReader()
    reader.onload = () => done(String(reader.result))
    reader.readAsDataURL(file)
  })
  await logo(text.slice(text.indexOf(',') + 1))
}
</script>

<template>
  <form v-if="paper.value && data" class="max-w-4xl" @submit.prevent="keep">
    <FormOutcome :saved="saved" :problem="problem" />
    <fieldset :disabled="!can('set rules')" class="grid gap-6">
      <div class="grid gap-6 sm:grid-cols-2">
        <label class="block"
          ><span class="label">Address, as it stands on certificates</span
          ><textarea v-model="paper.value.address" name="address" rows="3" class="field" maxlength="400"></textarea>
        </label>
        <div>
          <span class="label">Logo (PNG or JPEG, at most 200 kB)</span>
          <img
            v-if="hash"
            :src="`/api/logos/${hash}`"
            alt="The logo"
            class="max-h-20 border border-line bg-sheet p-1"
          />
          <p v-else class="text-ink-2">None.</p>
          <p class="mt-2 flex flex-wrap gap-3">
            <label class="btn cursor-pointer">
              {{ hash ? 'Another picture' : 'Choose a picture' }}
              <input type="file" name="logo" accept="image/png,image/jpeg" class="sr-only" @change="choose" />
            </label>
            <button v-if="hash" type="button" class="btn btn-quiet" @click="logo('')">None</button>
          </p>
        </div>
      </div>
      <div>
        <SectionTitle>Accreditation</SectionTitle>
        <p class="mt-1 max-w-[75ch] text-ink-2">
          A result is printed as accredited only where its quantity, range and procedure are in this scope, and its
          uncertainty is not below the least one stated here. Everything else on the certificate is printed without it.
        </p>
        <div class="mt-3 grid gap-4 sm:grid-cols-2">
          <label class="block"
            ><span class="label">Body that accredits</span
            ><input v-model="paper.value.accreditation.body" name="body" class="field" maxlength="100"
          /></label>
          <label class="block"
            ><span class="label">Its number</span
            ><input v-model="paper.value.accreditation.number" name="number" class="field" maxlength="60"
          /></label>
        </div>
        <DataTable
          v-if="paper.value.accreditation.scope?.length"
          class="mt-4"
          :columns="['what, by which procedure', 'from', 'to', 'unit', 'least U (k = 2)', '']"
        >
          <tr v-for="(s, n) in paper.value.accreditation.scope" :key="n">
            <th scope="row" class="py-2 pr-3 text-left font-semibold">{{ named(s.procedure, s.measure) }}</th>
            <td>
              <input v-model.number="s.from" type="number" step="any" :name="`from-${n}`" class="field num w-24" />
            </td>
            <td><input v-model.number="s.to" type="number" step="any" :name="`to-${n}`" class="field num w-24" /></td>
            <td class="px-2">{{ unitWords(s.unit) }}</td>
            <td>
              <input
                v-model.number="s.cmc"
                type="number"
                step="any"
                min="0"
                :name="`cmc-${n}`"
                class="field num w-28"
              />
            </td>
            <td>
              <button
                type="button"
                class="btn btn-quiet"
                :aria-label="`Take out ${named(s.procedure, s.measure)}`"
                @click="paper.value!.accreditation.scope!.splice(n, 1)"
              >
                Take out
              </button>
            </td>
          </tr>
        </DataTable>
        <div class="mt-3 flex flex-wrap items-end gap-3">
          <label class="block grow"
            ><span class="label">A quantity more</span>
            <select v-model="chosen" name="scope" class="field">
              <option value="">choose what is read, by which procedure</option>
              <option v-for="m in measures" :key="m.key" :value="m.key">{{ m.words }}</option>
            </select></label
          >
          <button type="button" class="btn" :disabled="!chosen" @click="add">Add it to the scope</button>
        </div>
      </div>
      <button v-if="can('set rules')" class="btn btn-main justify-self-start">Keep</button>
    </fieldset>
  </form>
</template>
