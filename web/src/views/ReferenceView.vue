<script setup lang="ts">
import { computed, ref } from 'vue'
import { useQuery } from '@tanstack/vue-query'
import FoundBefore from '../references/FoundBefore.vue'
import FoundOut from '../references/FoundOut.vue'
import SendOut from '../references/SendOut.vue'
import AskDialog from '../components/AskDialog.vue'
import QueryState from '../components/QueryState.vue'
import ChecksBetween from '../references/ChecksBetween.vue'
import CertificateForm from '../references/CertificateForm.vue'
import DriftHistory from '../references/DriftHistory.vue'
import GasBook from '../references/GasBook.vue'
import { api, type Certified } from '../api/client'
import type { components } from '../api/schema.gen'
import { useSession } from '../composables/useSession'
import { dayWords, localDay, unitWords } from '../composables/words'
import FileList from '../components/FileList.vue'
import HistoryList from '../components/HistoryList.vue'
import SectionTitle from '../components/SectionTitle.vue'
import AlertNote from '../components/AlertNote.vue'
import DataTable from '../components/DataTable.vue'
import { queries, useCached } from '../api/queries'
import { useSend } from '../composables/useSend'

/** One reference: what it is certified for, how it drifted, where its chain leads, what depends on it. */
const props = defineProps<{ id: string }>()
const { refresh, keep } = useCached()
const { data, error, refetch } = useQuery(queries.reference(() => props.id))
const { can } = useSession()
const lead = computed(() => can('keep references'))
const certifying = ref(false)
const foundOut = ref(false)
/** What was found before the certificate with that number, and is to be looked back on. */
type Moved = components['schemas']['Moved'] & { certificate?: string; words?: string }
const moved = ref<Moved>()
const sending = ref(false)
const changing = ref<'usable' | 'quarantined' | 'retired'>()
const { trouble, send } = useSend()
const pieces = computed(() => (data.value?.values ?? []).filter((v) => v.piece))
const values = computed(() => (data.value?.values ?? []).filter((v) => !v.piece))
const kit = computed(() => {
  const by = new Map<string, number>()
  for (const p of pieces.value) by.set(p.piece!, (by.get(p.piece!) ?? 0) + 1)
  return [...by].map(([piece, n]) => ({ piece, n }))
})
const stated = (v: Certified) => (v.from || v.to ? `${v.from ?? 0} to ${v.to}` : `${v.value}`)
const actions = { usable: 'Release', quarantined: 'Quarantine', retired: 'Retire' } as const

function lookBack(m: Moved) {
  moved.value = m
  foundOut.value = true
}
function closeFoundOut() {
  foundOut.value = false
  moved.value = undefined
}
async function change(note: string) {
  const status = changing.value!
  changing.value = undefined
  const params = { path: { id: props.id } }
  const saved = await send(() => api.POST('/api/standards/{id}/status', { params, body: { status, note } }))
  if (!saved) return
  keep('reference', saved, props.id)
  refresh('standards')
}
</script>

<template>
  <main v-if="data" class="mx-auto grid max-w-[1400px] gap-8 p-4 sm:p-6 lg:grid-cols-[minmax(0,1fr)_360px]">
    <section>
      <div class="flex flex-wrap items-start gap-3">
        <div class="mr-auto">
          <h1 class="text-3xl">
            <span class="num font-medium">{{ data.tag }}</span> {{ data.name }}
          </h1>
          <p class="mt-1 text-ink-2">
            {{ data.kind.replaceAll('-', ' ') }} · {{ data.maker }} · serial <span class="num">{{ data.serial }}</span>
            <template v-if="data.lot">
              · lot <span class="num">{{ data.lot }}</span></template
            >
            · {{ data.place }}
          </p>
          <p class="mt-1">
            <span v-if="data.status !== 'usable'" class="font-semibold text-vermilion"
              >◆ {{ data.status }}: {{ data.note }}</span
            >
            <span v-else-if="data.away" class="font-semibold text-brass"
              >◌ sent out to {{ data.away.to }} on {{ dayWords(data.away.since)
              }}<template v-if="data.away.until">, due back {{ dayWords(data.away.until) }}</template
              >: no run can use it</span
            >
            <span v-else-if="data.days < 0" class="font-semibold text-vermilion"
              >◆ {{ data.lot ? 'expired' : 'its certificate ran out' }} {{ -data.days }} days ago: not to be used</span
            >
            <span v-else class="font-semibold text-petrol"
              >● can be used until {{ dayWords(data.certificate.due_on) }}</span
            >
            <span v-if="data.usable_l !== undefined" class="text-ink-2">
              · {{ Math.round(data.usable_l) }} L above its reserve</span
            >
          </p>
        </div>
        <template v-if="lead">
          <button class="btn" @click="certifying = true">New certificate</button>
          <button v-if="values.length" class="btn" @click="foundOut = true">Found out …</button>
          <button v-if="data.status !== 'retired'" class="btn" @click="sending = true">
            {{ data.away ? 'It is back …' : 'Send out …' }}
          </button>
          <button
            v-for="s in (['usable', 'quarantined', 'retired'] as const).filter((x) => x !== data?.status)"
            :key="s"
            class="btn"
            @click="changing = s"
          >
            {{ actions[s] }} …
          </button>
        </template>
      </div>
      <AlertNote class="mt-3" :words="trouble" />

      <SectionTitle class="mt-6">Certified</SectionTitle>
      <DataTable
        v-if="values.length"
        :columns="[
          'Quantity',
          { title: 'Value or range', right: true },
          { title: 'U', right: true },
          { title: 'k', right: true },
          { title: 'Drift in a year', right: true },
        ]"
      >
        <tr v-for="v in values" :key="v.quantity + v.value + v.from">
          <td class="py-2">{{ v.quantity }}</td>
          <td class="num text-right text-lg">{{ stated(v) }} {{ unitWords(v.unit) }}</td>
          <td class="num text-right">{{ v.u }} {{ unitWords(v.unit) }}</td>
          <td class="num text-right">{{ v.k }}</td>
          <td class="num text-right">
            {{ v.drift_per_year ? `± ${v.drift_per_year} ${unitWords(v.unit)}` : 'none stated' }}
          </td>
        </tr>
      </DataTable>
      <ul v-if="kit.length" class="flex flex-wrap gap-2 py-3">
        <li v-for="p in kit" :key="p.piece" class="border border-line bg-sheet px-3 py-1">
          <span class="num font-medium">{{ p.n }} × {{ p.piece }}</span>
        </li>
        <li class="py-1 text-ink-2">{{ pieces.length }} pieces to count back after each use</li>
      </ul>

      <DriftHistory class="mt-4" :certificates="data.certificates" />

      <SectionTitle class="mt-6">Certificates</SectionTitle>
      <ul class="rows">
        <li
          v-for="c in [...data.certificates].reverse()"
          :key="c.number"
          class="grid sm:grid-cols-[110px_1fr_auto] gap-4 py-2"
        >
          <span class="num font-medium">{{ c.number }}</span>
          <span>
            {{ c.accredited ? 'accredited' : 'in house' }}, {{ c.issuer }}
            <span class="block text-sm text-ink-2">entered by {{ c.by }}</span>
            <FoundBefore
              v-if="c.found?.length"
              :found="c.found"
              :may-open="lead"
              @out="lookBack({ ...$event, certificate: c.number })"
            />
          </span>
          <span class="text-right">
            {{ dayWords(c.on) }} to {{ dayWords(c.due_on) }}
            <span v-if="c.current" class="block text-sm font-semibold text-petrol">● counts now</span>
          </span>
        </li>
      </ul>

      <ChecksBetween v-if="data.status !== 'retired'" :reference="data" @out="lookBack" />

      <GasBook v-if="data.cylinder" :reference="data" :may-write="can('read gauges')" />
    </section>

    <aside>
      <SectionTitle>Chain of traceability</SectionTitle>
      <ol
        class="relative mt-2 before:absolute before:top-3 before:bottom-6 before:left-[6px] before:w-px before:bg-ink"
      >
        <li
          v-for="step in [{ name: 'a device under test' }, ...data.chain]"
          :key="step.name"
          class="relative py-2 pl-7"
        >
          <i
            class="absolute top-[15px] left-0 block size-[13px] border-[1.5px]"
            :class="'broken' in step && step.broken ? 'rotate-45 border-vermilion bg-vermilion' : 'border-ink bg-paper'"
            aria-hidden="true"
          ></i>
          <template v-if="'tag' in step && step.tag">
            <RouterLink :to="{ name: 'reference', params: { id: step.tag } }" class="num font-medium underline">{{
              step.tag
            }}</RouterLink>
            {{ step.name }}
            <span class="num block text-sm text-ink-2">{{ step.uncertainty }}</span>
            <span class="block text-sm text-ink-2">
              {{ step.certificate?.number }}, {{ step.certificate?.accredited ? 'accredited' : 'in house' }}, until
              {{ dayWords(step.certificate?.due_on) }}
            </span>
          </template>
          <span v-else class="text-ink-2">{{ step.name }}</span>
          <span v-if="'broken' in step && step.broken" class="block font-semibold text-vermilion">{{
            step.broken
          }}</span>
        </li>
      </ol>

      <SectionTitle class="mt-6">What depends on it</SectionTitle>
      <p class="mt-2">
        <b class="num text-lg">{{ data.devices }}</b> {{ data.devices === 1 ? 'device was' : 'devices were' }} verified
        with it, in <b class="num text-lg">{{ data.uses }}</b> {{ data.uses === 1 ? 'run' : 'runs' }}.
      </p>
      <p v-for="p in data.procedures" :key="p" class="mt-1 text-sm text-ink-2">It can fill a role of “{{ p }}”.</p>
      <ul class="rows mt-2">
        <li v-for="r in data.runs" :key="r.id">
          <RouterLink :to="{ name: 'run', params: { id: r.id } }" class="block min-h-11 py-2 hover:bg-brass-wash">
            <span class="num font-medium">{{ r.tag }}</span> {{ r.device }}
            <span class="block text-sm text-ink-2">
              {{ localDay(r.ended_at ?? r.opened_at) }} · {{ r.result || r.status }}
            </span>
          </RouterLink>
        </li>
      </ul>
      <p v-if="!data.runs.length" class="py-2 text-ink-2">No run has used it yet.</p>
      <FileList :id="data.id" :key="data.id" of="reference" />
      <HistoryList :id="data.id" of="reference" />
    </aside>
    <CertificateForm v-if="certifying" :of="data" @close="certifying = false" />
    <FoundOut v-if="foundOut" :reference="data" :moved="moved" @close="closeFoundOut" />
    <SendOut v-if="sending" :reference="data" :back="!!data.away" @close="sending = false" />
    <AskDialog
      v-if="changing"
      :title="`${actions[changing]} ${data.tag}`"
      :hint="changing === 'usable' ? 'It can then fill roles again.' : 'No run can use it from now on.'"
      label="Why"
      :action="actions[changing]"
      @done="change"
      @close="changing = undefined"
    />
  </main>
  <QueryState v-else :error="error" what="reference" @again="refetch()" />
</template>
