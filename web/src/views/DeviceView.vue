<script setup lang="ts">
import { usePrices } from '../composables/usePrices'
import { resultTone } from '../bench/result'
import { computed, nextTick, ref, watch } from 'vue'
import { useQuery } from '@tanstack/vue-query'
import QueryState from '../components/QueryState.vue'
import RiskMark from '../components/RiskMark.vue'
import StateMark from '../components/StateMark.vue'
import ActivityList from '../equipment/ActivityList.vue'
import TestsTable from '../equipment/TestsTable.vue'
import CorrectedReading from '../equipment/CorrectedReading.vue'
import AboutForm from '../equipment/AboutForm.vue'
import EventForm from '../equipment/EventForm.vue'
import FingerPrint from '../components/FingerPrint.vue'
import { useClock } from '../composables/useClock'
import { useSession } from '../composables/useSession'
import { useStartRun } from '../composables/useStartRun'
import { ago, dayWords, familyWords, localDay, significant } from '../composables/words'
import DeviceLife from '../equipment/DeviceLife.vue'
import FileList from '../components/FileList.vue'
import HistoryList from '../components/HistoryList.vue'
import SectionTitle from '../components/SectionTitle.vue'
import AlertNote from '../components/AlertNote.vue'
import { queries } from '../api/queries'

const props = defineProps<{ id: string }>()
const { data, error, refetch } = useQuery(queries.asset(() => props.id))
const now = useClock()
const { can } = useSession()
const { start, starting, trouble } = useStartRun()
const running = computed(() => data.value?.history.find((h) => h.status === 'open'))
const lastGood = computed(() => data.value?.history.find((h) => h.result?.startsWith('conforms')))
/** Its own procedures, without those of one test each, which stand in the table of its tests. */
const own = computed(() => data.value?.procedures.filter((p) => !p.shared && !p.test && !p.maintains) ?? [])
const shared = computed(() => data.value?.procedures.filter((p) => p.shared && !p.maintains) ?? [])
/** What measures nothing is begun where it recurs, or where nothing recurs of it, below that. */
const besides = computed(
  () =>
    data.value?.procedures.filter((p) => p.maintains && !data.value?.activities.some((a) => a.procedure === p.id)) ??
    [],
)
const mayBegin = computed(() => can('work runs') && !running.value && data.value?.state !== 'retired')
const named = computed(() => own.value.length > 1 || !!data.value?.tests.length)
/** What the meter showed of delivered volumes when it was last found, a line each. */
const found = computed(() =>
  (data.value?.history.find((h) => h.status === 'signed' && h.needles?.length)?.needles ?? [])
    .filter((n) => n.phase === 'as found')
    .map((n) => `${n.reference}\t${significant(n.reference + n.error, 6)}`)
    .join('\n'),
)
const { price } = usePrices()
const happened = ref(false)
const describing = ref(false)
/** What is known of it besides its plate: each with its words, those that are not known left out. */
const acquired = computed(() => {
  const about = data.value?.about
  const paid = about?.price ? price(about.price) : ''
  return [
    { label: 'Software', words: about?.software },
    { label: 'Set up with', words: about?.set_up },
    {
      label: 'Bought',
      words: [about?.bought && dayWords(about.bought), about?.supplier, paid].filter(Boolean).join(', '),
    },
    { label: 'Warranty', words: about?.warranty && `until ${dayWords(about.warranty)}` },
  ].filter((a) => a.words)
})
const begin = ref<HTMLElement[]>()
watch(data, async (device, before) => {
  if (!device || before) return
  await nextTick()
  begin.value?.[0]?.focus()
})
const resultWords = (h: { status: string; result?: string; now: string }) =>
  h.status === 'open' ? `in progress: ${h.now}` : h.status === 'abandoned' ? 'abandoned' : h.result
const life = ref<InstanceType<typeof DeviceLife>>()
/** A fault that nobody has judged yet. */
const unjudged = computed(() => data.value?.faults?.find((f) => !f.judged))
</script>

<template>
  <main v-if="data" class="mx-auto grid max-w-[1400px] gap-8 p-4 sm:p-6 lg:grid-cols-[minmax(0,1fr)_320px]">
    <section>
      <div class="flex flex-wrap items-start gap-4">
        <div class="grow">
          <h1 class="text-3xl">
            <span class="num font-medium">{{ data.tag }}</span> {{ data.device }}
          </h1>
          <p class="mt-1 text-ink-2">
            {{ familyWords(data.family) }}
            <template v-if="data.serial"
              >· serial <span class="num">{{ data.serial }}</span></template
            >
            · {{ data.place }},
            {{ data.site }}
          </p>
          <p class="mt-1">
            <StateMark :stands="data" why />
            <span class="text-ink-2"> · last good {{ ago(lastGood?.opened_at, now) }}</span>
          </p>
          <p v-if="data.same_as" class="mt-2 border-l-4 border-brass bg-brass-wash px-3 py-2">
            The same device as
            <RouterLink class="num font-semibold underline" :to="{ name: 'device', params: { id: data.same_as } }">{{
              data.same_as
            }}</RouterLink>: what is made and due of it stands there.
          </p>
          <p v-if="data.doubles.length" class="mt-1 text-ink-2">
            also entered as <span class="num">{{ data.doubles.join(', ') }}</span>
          </p>
          <p class="mt-1 flex flex-wrap items-center gap-x-5">
            <a class="underline" :href="`/api/labels.pdf?tag=${data.tag}`" target="_blank">Label (PDF)</a>
            <a class="underline" :href="`/api/assets/${data.tag}/history.pdf`" target="_blank">History (PDF)</a>
            <RouterLink
              class="underline"
              :to="{ name: 'workings', params: { tool: 'economics' }, query: { asset: data.tag } }"
              >Is it worth calibrating?</RouterLink
            >
            <button
              v-if="unjudged && can('note what was done')"
              class="min-h-11 font-semibold text-vermilion underline"
              @click="life?.begin('judge', unjudged)"
            >
              Judge the fault …
            </button>
            <button
              v-else-if="can('note events of a device') && data.state !== 'retired'"
              class="min-h-11 underline"
              @click="life?.begin('fault')"
            >
              Report a fault …
            </button>
          </p>
        </div>
        <div v-if="can('work runs')" class="flex flex-wrap gap-2" :class="own.length > 1 && !running && 'basis-full'">
          <RouterLink v-if="running" class="btn btn-main" :to="{ name: 'run', params: { id: running.id } }">
            Resume the run <kbd>Enter</kbd>
          </RouterLink>
          <button
            v-for="(p, i) in running ? [] : own"
            :key="p.id"
            ref="begin"
            class="btn"
            :class="i === 0 && 'btn-main'"
            :disabled="!!starting || data.state === 'retired'"
            @click="start(data.id, p.id)"
          >
            {{ named ? p.title : 'Start verification' }} <kbd v-if="i === 0">Enter</kbd>
          </button>
          <button
            v-for="p in running ? [] : shared"
            :key="p.id"
            class="btn btn-quiet"
            :disabled="!!starting || data.state === 'retired'"
            @click="start(data.id, p.id)"
          >
            {{ p.title }}
          </button>
          <p v-if="!own.length && !data.tests.length" class="max-w-56 text-right text-sm text-ink-2">
            No procedure covers a {{ familyWords(data.family) }} yet.
          </p>
        </div>
      </div>
      <p v-for="b in data.blocked" :key="b.words" class="mt-3 border-l-4 border-vermilion bg-vermilion-wash px-3 py-2">
        <b>No patient work.</b> {{ b.words }}
        <RouterLink
          v-if="b.analyte"
          class="underline"
          :to="{ name: 'control', params: { asset: data.tag, analyte: b.analyte } }"
          >See the chart</RouterLink
        >
      </p>
      <AlertNote class="mt-3" :words="trouble" />

      <section v-if="data.kept?.length" class="mt-6">
        <SectionTitle>Reckoned with until the next run</SectionTitle>
        <ul class="rows">
          <li v-for="k in data.kept" :key="k.run" class="flex flex-wrap gap-x-6 py-2">
            <span v-for="f in k.figures" :key="f" class="num">{{ f }}</span>
            <RouterLink class="text-sm text-ink-2 underline" :to="{ name: 'run', params: { id: k.run } }"
              >{{ k.title }}, {{ localDay(k.at) }}</RouterLink
            >
            <CorrectedReading v-if="k.corrects" class="w-full" :line="k.corrects" />
          </li>
        </ul>
      </section>
      <TestsTable
        v-if="data.tests.length"
        class="mt-6"
        :device="data"
        :busy="!!starting || !!running"
        @calibrate="(id) => start(data!.id, id)"
        @changed="refetch()"
      />

      <div class="mt-6 flex flex-wrap items-baseline gap-4 border-b-2 border-ink pb-1">
        <h2 class="text-lg">Fingerprint over time</h2>
        <span class="text-sm text-ink-2">hollow: as found · solid: as left · upright: no error · 45°: the limit</span>
      </div>
      <ul class="rows">
        <li v-for="h in data.history" :key="h.id" class="grid sm:grid-cols-[170px_1fr_auto] items-center gap-4 py-3">
          <div>
            <span class="font-semibold">{{ localDay(h.ended_at ?? h.opened_at) }}</span>
            <span v-if="data.procedures.length > 1" class="block text-sm">{{ h.title }}</span>
            <span class="block text-sm text-ink-2">{{ h.by }}</span>
            <span v-if="h.tag !== data.tag" class="block text-sm text-ink-2"
              >as <span class="num">{{ h.tag }}</span></span
            >
            <span class="block text-sm" :class="h.result ? ['font-semibold', resultTone(h.result)] : 'text-brass'">
              {{ resultWords(h) }}
            </span>
          </div>
          <FingerPrint v-if="h.needles?.length" :needles="h.needles" />
          <span v-else class="text-ink-2">{{
            !h.result
              ? 'no points closed yet'
              : h.result.startsWith('done')
                ? 'nothing was measured'
                : 'judged together, no point by itself'
          }}</span>
          <span class="text-right text-sm">
            <a
              v-if="h.status === 'signed' && !h.paper"
              class="underline"
              :href="`/api/runs/${h.id}/certificate.pdf`"
              target="_blank"
              >{{ h.result?.startsWith('done') ? 'paper' : 'certificate' }}</a
            >
            <span v-else-if="h.paper" class="text-ink-2">from older paper</span>
            <span v-if="h.replaced" class="block font-semibold text-vermilion">replaced, counts no more</span>
            <RouterLink v-if="!h.paper" class="ml-3 underline" :to="{ name: 'run', params: { id: h.id } }"
              >record</RouterLink
            >
          </span>
        </li>
      </ul>
      <p v-if="!data.history.length" class="py-4 text-ink-2">Nothing was recorded on this device yet.</p>
    </section>

    <aside>
      <SectionTitle>What recurs</SectionTitle>
      <p v-if="data.same_as" class="py-2 text-ink-2">Nothing of this entry: it stands with {{ data.same_as }}.</p>
      <ActivityList
        v-else
        :activities="data.activities"
        :begins="mayBegin"
        :busy="!!starting"
        @begin="(id) => start(data!.id, id)"
      />
      <details v-if="mayBegin && besides.length" class="mt-2">
        <summary class="min-h-11 cursor-pointer py-2 text-ink-2">Other maintenance</summary>
        <div class="flex flex-wrap gap-2 py-1">
          <button v-for="p in besides" :key="p.id" class="btn" :disabled="!!starting" @click="start(data.id, p.id)">
            {{ p.title }}
          </button>
        </div>
      </details>
      <button v-if="can('note events of a device')" class="btn mt-3" @click="happened = true">
        Something happened to it …
      </button>
      <details v-if="data.notes.length" class="mt-2">
        <summary class="min-h-11 cursor-pointer py-2 text-ink-2">What became of them</summary>
        <ul class="rows text-sm">
          <li v-for="(n, i) in data.notes" :key="i" class="py-2">
            <span class="font-semibold">{{ localDay(n.at) }} {{ n.what }}</span> {{ n.text }}
            <span class="text-ink-2">{{ n.by }}</span>
          </li>
        </ul>
      </details>
      <template v-if="data.fitted.length">
        <SectionTitle class="mt-6">Parts fitted</SectionTitle>
        <ul class="rows">
          <li v-for="(f, i) in data.fitted" :key="i" class="py-2">
            <span class="font-semibold">{{ f.amount > 1 ? `${f.amount} × ${f.part}` : f.part }}</span>
            <span class="num block text-sm"
              ><template v-for="(n, j) in [f.number, f.lot].filter(Boolean)" :key="n"
                >{{ j ? ' · ' : ''
                }}<RouterLink
                  class="inline-flex min-h-11 items-center underline"
                  :to="{ name: 'equipment', query: { part: n } }"
                  :aria-label="`Devices with ${n}`"
                  >{{ n }}</RouterLink
                ></template
              ></span
            >
            <RouterLink class="text-sm text-ink-2 underline" :to="{ name: 'run', params: { id: f.run } }">{{
              localDay(f.at)
            }}</RouterLink>
          </li>
        </ul>
      </template>
      <RouterLink
        v-if="data.family === 'collection-bag-meter' && found"
        class="btn mt-4 inline-flex"
        :to="{ name: 'workings', params: { tool: 'correction' }, query: { points: found } }"
        >Correct a reading of this meter</RouterLink
      >
      <template v-if="data.trends.length">
        <SectionTitle class="mt-6">How it moves</SectionTitle>
        <ul class="rows">
          <li v-for="t in data.trends" :key="t.measure + t.point" class="py-2">
            <span class="font-semibold">{{ t.label }}</span>
            <span class="block text-sm text-ink-2">{{ t.words }}</span>
          </li>
        </ul>
      </template>
      <SectionTitle class="mt-6">About it</SectionTitle>
      <dl class="mt-2 grid sm:grid-cols-[110px_1fr] gap-y-2">
        <dt class="text-ink-2">Maker</dt>
        <dd>{{ data.maker }}</dd>
        <dt class="text-ink-2">Model</dt>
        <dd>{{ data.model }}</dd>
        <template v-if="data.owner">
          <dt class="text-ink-2">Belongs to</dt>
          <dd>{{ data.owner }}</dd>
        </template>
        <template v-if="data.keeper">
          <dt class="text-ink-2">Looked after by</dt>
          <dd>{{ data.keeper }}</dd>
        </template>
        <dt class="text-ink-2">Risk</dt>
        <dd><RiskMark :risk="data.risk" /></dd>
        <template v-for="a in acquired" :key="a.label">
          <dt class="text-ink-2">{{ a.label }}</dt>
          <dd class="whitespace-pre-line">{{ a.words }}</dd>
        </template>
        <template v-for="particular in data.own" :key="particular.label">
          <dt class="text-ink-2">{{ particular.label }}</dt>
          <dd>{{ particular.words }}</dd>
        </template>
      </dl>
      <button v-if="can('correct and move devices')" class="btn btn-quiet mt-2" @click="describing = true">
        Software, parts, purchase …
      </button>
      <AboutForm v-if="describing" :device="data" @close="describing = false" />
      <DeviceLife ref="life" :device="data" @renamed="(id) => $router.replace({ name: 'device', params: { id } })" />
      <FileList :id="data.id" :key="data.id" of="device" />
      <HistoryList :id="data.id" of="device" />
    </aside>
  </main>
  <EventForm v-if="data && happened" :asset="data.tag" @close="happened = false" />
  <QueryState v-if="!data" :error="error" what="device" @again="refetch()" />
</template>
