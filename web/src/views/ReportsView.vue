<script setup lang="ts">
import { usePrices } from '../composables/usePrices'
import { computed, ref, watch } from 'vue'
import { useQuery } from '@tanstack/vue-query'
import QueryState from '../components/QueryState.vue'
import RiskMark from '../components/RiskMark.vue'
import ShareBar from '../components/ShareBar.vue'
import { counted, dayWords, familyWords, isoDay } from '../composables/words'
import SectionTitle from '../components/SectionTitle.vue'
import AlertNote from '../components/AlertNote.vue'
import DataTable from '../components/DataTable.vue'
import InspectorPack from '../components/InspectorPack.vue'
import { useSession } from '../composables/useSession'
import { useHouse } from '../house/useHouse'
import { queries } from '../api/queries'

/** What a time of work came to: on time, as found, overdue, work, gas, cost. */
const today = new Date()
const back = (months: number) => new Date(today.getFullYear(), today.getMonth() - months, today.getDate())
const spans = [
  { words: 'a month', from: isoDay(back(1)) },
  { words: 'a quarter', from: isoDay(back(3)) },
  { words: 'a year', from: isoDay(back(12)) },
  { words: 'three years', from: isoDay(back(36)) },
]
const from = ref(spans[2]!.from)
const until = ref(isoDay(today))
const query = computed(() => ({ from: from.value, until: until.value }))
const { data, error, refetch } = useQuery(queries.report(query))
const wrong = ref('')
const { can } = useSession()
const { data: house } = useHouse()
const inspected = ref(false)
watch(error, (e) => (wrong.value = e?.message ?? ''))
const { price: money } = usePrices()
const litres = (x: number) => Math.round(x).toLocaleString('en-GB')
const percent = (x: number) => `${Math.round(100 * x)} %`
const month = (day: string) => dayWords(day, { month: 'short', year: '2-digit' })
/** Months as columns of a picture: the height is what was done, the filled part what was on time. */
const most = computed(() => Math.max(1, ...(data.value?.months ?? []).map((m) => m.on_time.all)))
const weakest = computed(() =>
  [...(data.value?.models ?? [])]
    .filter((m) => m.found.all >= 3)
    .sort((a, b) => a.found.high - b.found.high)
    .at(0),
)
const last = computed(() => dayWords(until.value))
</script>

<template>
  <main v-if="data" class="mx-auto max-w-[1400px] p-4 sm:p-6">
    <div class="flex flex-wrap items-end gap-4">
      <h1 class="mr-auto text-3xl">Reports</h1>
      <div class="flex flex-wrap items-end gap-3 print:hidden">
        <span class="flex gap-1" role="group" aria-label="How far back">
          <button
            v-for="s in spans"
            :key="s.words"
            class="min-h-11 border-b-[3px] px-2"
            :class="from === s.from ? 'border-brass font-bold' : 'border-transparent text-ink-2 hover:text-ink'"
            @click="from = s.from"
          >
            {{ s.words }}
          </button>
        </span>
        <label><span class="label">From</span><input v-model="from" type="date" name="from" class="field num" /></label>
        <label
          ><span class="label">Until</span><input v-model="until" type="date" name="until" class="field num"
        /></label>
        <a class="btn inline-flex items-center" :href="`/api/report.pdf?from=${from}&until=${until}`" target="_blank"
          >On paper (PDF)</a
        >
        <button v-if="can('hand out packs')" class="btn" @click="inspected = true">For an inspector …</button>
      </div>
    </div>
    <AlertNote class="mt-3" :words="wrong" />
    <InspectorPack
      v-if="inspected"
      :from="from"
      :until="until"
      :sites="house?.sites ?? []"
      @close="inspected = false"
    />

    <dl class="mt-4 grid gap-x-8 border-y-2 border-ink py-3 sm:grid-cols-2 lg:grid-cols-4">
      <div>
        <dt class="text-ink-2">Done on time</dt>
        <dd class="num text-3xl font-semibold">{{ data.on_time.all ? percent(data.on_time.value) : '–' }}</dd>
        <dd class="text-sm text-ink-2">
          <template v-if="data.on_time.all"
            >{{ data.on_time.of }} of {{ data.on_time.all }}; {{ percent(data.on_time.low) }} to
            {{ percent(data.on_time.high) }} at 95 %</template
          ><template v-else>nothing with a day of its own was done</template>
        </dd>
      </div>
      <div>
        <dt class="text-ink-2">Overdue now</dt>
        <dd class="num text-3xl font-semibold" :class="data.overdue_all ? 'text-vermilion' : 'text-petrol'">
          {{ data.overdue_all }}
        </dd>
        <dd class="text-sm text-ink-2">
          {{ (data.overdue[0]?.count ?? 0) + (data.overdue[1]?.count ?? 0) }} of the two gravest risks
        </dd>
      </div>
      <div>
        <dt class="text-ink-2">Work</dt>
        <dd class="num text-3xl font-semibold">
          {{ data.runs.toLocaleString('en-GB') }}
          <span class="text-base font-normal">{{ data.runs === 1 ? 'run' : 'runs' }}</span>
        </dd>
        <dd class="text-sm text-ink-2">about {{ Math.round(data.hours) }} hours of hands: an estimate</dd>
      </div>
      <div>
        <dt class="text-ink-2">Cost</dt>
        <dd class="num text-3xl font-semibold">{{ money(data.cost) }}</dd>
        <dd class="text-sm text-ink-2">
          <template v-if="data.prices.currency">hands, gas, {{ counted(data.certificates, 'certificate') }}</template>
          <RouterLink v-else class="underline" :to="{ name: 'house', params: { sheet: 'figures' } }"
            >name the lab’s prices</RouterLink
          >
        </dd>
      </div>
    </dl>

    <div class="mt-6 grid gap-x-10 gap-y-8 lg:grid-cols-2">
      <section>
        <SectionTitle>How the devices stand, now</SectionTitle>
        <DataTable :columns="['state', { title: 'devices', right: true }]">
          <tr v-for="s in data.states" :key="s.state">
            <td class="py-2">{{ s.state }}</td>
            <td class="num text-right font-semibold">{{ s.devices }}</td>
          </tr>
        </DataTable>
      </section>

      <section>
        <SectionTitle>Overdue by risk, now</SectionTitle>
        <DataTable
          :columns="[
            'risk',
            { title: 'overdue', right: true },
            { title: 'the longest', right: true },
            { title: 'device-days beyond', right: true },
          ]"
        >
          <tr v-for="o in data.overdue" :key="o.risk" :class="!o.count && 'text-ink-2'">
            <td class="py-2"><RiskMark :risk="o.risk" /></td>
            <td class="num text-right" :class="o.count ? 'font-semibold' : ''">{{ o.count || '–' }}</td>
            <td class="text-right">{{ o.count ? counted(o.longest, 'day') : '' }}</td>
            <td class="num text-right">{{ o.count ? o.days : '' }}</td>
          </tr>
        </DataTable>
        <RouterLink
          v-if="data.overdue_all"
          class="mt-2 inline-block min-h-11 py-2 underline print:hidden"
          :to="{ name: 'today' }"
          >See which, the gravest first</RouterLink
        >
      </section>

      <section>
        <SectionTitle>On time, by month</SectionTitle>
        <p v-if="data.on_time.worst_late" class="py-1 text-sm text-ink-2">
          Of the late ones half were at most {{ counted(data.on_time.median_late, 'day') }} late, the worst
          {{ counted(data.on_time.worst_late, 'day') }}.
        </p>
        <ol v-if="data.months.length" class="rows mt-2 sm:hidden">
          <li v-for="m in data.months" :key="m.month" class="flex flex-wrap justify-between gap-x-3 py-1">
            <span>{{ month(m.month) }}</span>
            <span
              ><span class="num">{{ m.on_time.of }}</span> of <span class="num">{{ m.on_time.all }}</span> on time,
              <span class="num">{{ percent(m.on_time.value) }}</span></span
            >
          </li>
        </ol>
        <ol v-if="data.months.length" class="mt-2 flex h-40 items-end gap-1 max-sm:hidden">
          <li
            v-for="m in data.months"
            :key="m.month"
            class="flex h-full min-w-0 grow flex-col justify-end text-center"
            :title="`${month(m.month)}: ${m.on_time.of} of ${m.on_time.all} on time`"
          >
            <span class="num text-xs">{{ percent(m.on_time.value).replace(' %', '') }}</span>
            <span
              class="mx-auto flex w-full max-w-10 flex-col justify-end border border-ink-2"
              :style="{ height: `${(70 * m.on_time.all) / most}%` }"
            >
              <span class="block bg-petrol" :style="{ height: `${100 * m.on_time.value}%` }"></span>
            </span>
            <span class="num mt-1 text-[0.6875rem] whitespace-nowrap text-ink-2">{{ month(m.month) }}</span>
          </li>
        </ol>
        <p v-else class="py-3 text-ink-2">Nothing with a day of its own was done in this time.</p>
        <p v-if="data.months.length" class="text-sm text-ink-2 max-sm:hidden">
          The height is what was done; filled, and in per cent above it: on time.
        </p>
      </section>

      <section class="lg:col-span-2">
        <SectionTitle>As found, by model</SectionTitle>
        <p class="py-1 text-sm text-ink-2">
          Runs found with every point inside its limits, before anything was changed. The bar is the share, the line the
          bounds it lies in at 95 %.
          <template v-if="weakest && weakest.found.value < 0.9"
            >The weakest: <b class="text-ink">{{ weakest.device }}</b>, {{ weakest.found.of }} of
            {{ weakest.found.all }}.</template
          >
        </p>
        <DataTable
          :columns="[
            'model',
            'family',
            { title: 'devices', right: true },
            { title: 'runs', right: true },
            { title: 'found inside', class: 'w-[38%] pl-6' },
          ]"
        >
          <tr v-for="m in data.models" :key="m.device + m.family">
            <th scope="row" class="py-2 font-semibold">{{ m.device }}</th>
            <td class="text-ink-2">{{ familyWords(m.family) }}</td>
            <td class="num text-right">{{ m.devices }}</td>
            <td class="num text-right">{{ m.found.all }}</td>
            <td class="pl-6"><ShareBar :share="m.found" /></td>
          </tr>
        </DataTable>
        <p v-if="!data.models.length" class="py-3 text-ink-2">Nothing was measured in this time.</p>
      </section>

      <section>
        <SectionTitle>Work</SectionTitle>
        <DataTable
          :columns="[
            'procedure',
            { title: 'runs', right: true },
            { title: 'about hours', right: true },
            { title: 'cost', right: true },
          ]"
        >
          <tr v-for="w in data.work" :key="w.family + w.title">
            <td class="py-1.5">{{ w.title }}</td>
            <td class="num text-right">{{ w.runs }}</td>
            <td class="num text-right">{{ w.hours ? w.hours.toFixed(1) : '–' }}</td>
            <td class="num text-right whitespace-nowrap">{{ money(w.cost) }}</td>
          </tr>
        </DataTable>
        <p v-if="data.unknown" class="mt-1 text-sm text-ink-2">
          {{ counted(data.unknown, 'run') }} taken over from paper: counted with the hours of an unknown job.
        </p>
        <p v-if="!data.work.length" class="py-3 text-ink-2">No run was signed in this time.</p>
      </section>

      <section>
        <SectionTitle>Gas used and lost</SectionTitle>
        <table v-if="data.gas.length" class="w-full text-left">
          <thead class="text-sm text-ink-2">
            <tr>
              <th class="py-1 font-normal">cylinder</th>
              <th class="text-right font-normal">used L</th>
              <th class="text-right font-normal">metered L</th>
              <th class="text-right font-normal">lost L</th>
              <th class="text-right font-normal">cost</th>
            </tr>
          </thead>
          <tbody class="rows">
            <tr v-for="g in data.gas" :key="g.tag">
              <td class="py-1.5">
                <RouterLink class="num underline" :to="{ name: 'reference', params: { id: g.tag } }">{{
                  g.tag
                }}</RouterLink>
                {{ g.name }}
              </td>
              <td class="num text-right">{{ litres(g.used_l) }}</td>
              <td class="num text-right">{{ litres(g.metered_l) }}</td>
              <td class="num text-right" :class="g.flagged && 'font-semibold text-vermilion'">
                {{ g.flagged ? `◆ ${litres(g.lost_l)}` : '–' }}
              </td>
              <td class="num text-right whitespace-nowrap">{{ money(g.cost) }}</td>
            </tr>
          </tbody>
          <tfoot>
            <tr class="border-t-2 border-ink font-semibold">
              <td class="py-1.5">together</td>
              <td class="num text-right">{{ litres(data.used_l) }}</td>
              <td></td>
              <td class="num text-right">{{ litres(data.lost_l) }}</td>
              <td></td>
            </tr>
          </tfoot>
        </table>
        <p v-else class="py-3 text-ink-2">No gauge was read in this time.</p>
        <p class="mt-1 text-sm text-ink-2">
          Lost: it left the cylinder, was metered nowhere, and is more than the gauge’s own reading explains.
        </p>
      </section>
    </div>
    <p class="mt-8 text-sm text-ink-2">
      {{ dayWords(from) }} to {{ last }}.
      <template v-if="data.prices.currency"
        >Reckoned with {{ data.prices.hour }} {{ data.prices.currency }} an hour, {{ data.prices.litre }} a litre,
        {{ data.prices.certificate }} a certificate:
        <RouterLink class="underline" :to="{ name: 'house', params: { sheet: 'figures' } }">the lab’s prices</RouterLink
        >.</template
      >
      Hours are an estimate from the procedures’ steps.
    </p>
  </main>
  <QueryState v-else :error="error" what="report" @again="refetch()" />
</template>
