<script setup lang="ts">
import { computed, nextTick, ref, watch } from 'vue'
import { useQuery } from '@tanstack/vue-query'
import QueryState from '../components/QueryState.vue'
import RiskMark from '../components/RiskMark.vue'
import FingerPrint from '../components/FingerPrint.vue'
import { answer, api } from '../api/client'
import { useClock } from '../composables/useClock'
import { useSession } from '../composables/useSession'
import { useStartRun } from '../composables/useStartRun'
import { ago, dueWords, familyWords, localDay } from '../composables/words'

const props = defineProps<{ id: string }>()
const { data, error, refetch } = useQuery({
  queryKey: ['asset', () => props.id],
  queryFn: () => answer(api.GET('/api/assets/{id}', { params: { path: { id: props.id } } })),
})
const now = useClock()
const { person } = useSession()
const { start, starting, trouble } = useStartRun()
const running = computed(() => data.value?.history.find((h) => h.status === 'open'))
const lastGood = computed(() => data.value?.history.find((h) => h.result?.startsWith('conforms')))
const begin = ref<HTMLElement[]>()
watch(data, async (device, before) => {
  if (!device || before) return
  await nextTick()
  begin.value?.[0]?.focus()
})
const resultWords = (h: { status: string; result?: string; now: string }) =>
  h.status === 'open' ? `in progress: ${h.now}` : h.status === 'abandoned' ? 'abandoned' : h.result
</script>

<template>
  <main v-if="data" class="mx-auto grid max-w-[1400px] gap-8 p-6 lg:grid-cols-[minmax(0,1fr)_320px]">
    <section>
      <div class="flex flex-wrap items-start gap-4">
        <div class="grow">
          <h1 class="text-3xl">
            <span class="num font-medium">{{ data.tag }}</span> {{ data.device }}
          </h1>
          <p class="mt-1 text-ink-2">
            {{ familyWords(data.family) }} · serial <span class="num">{{ data.serial }}</span> · {{ data.place }},
            {{ data.site }}
          </p>
          <p class="mt-1">
            <span v-if="data.status === 'in use'" class="font-semibold text-petrol">● in use</span>
            <span v-else class="font-semibold text-vermilion">◆ {{ data.status }}: not to be used</span>
            <span class="text-ink-2"> · last good {{ ago(lastGood?.opened_at, now) }}</span>
          </p>
        </div>
        <div v-if="person?.role !== 'manager'" class="flex flex-col items-end gap-2">
          <RouterLink v-if="running" class="btn btn-main" :to="{ name: 'run', params: { id: running.id } }">
            Resume the run <kbd>Enter</kbd>
          </RouterLink>
          <button
            v-for="p in running ? [] : data.procedures"
            :key="p.id"
            ref="begin"
            class="btn btn-main"
            :disabled="!!starting || data.status === 'retired'"
            @click="start(data.id, p.id)"
          >
            Start verification <kbd>Enter</kbd>
          </button>
          <p v-if="!data.procedures.length" class="max-w-56 text-right text-sm text-ink-2">
            No procedure covers a {{ familyWords(data.family) }} yet.
          </p>
        </div>
      </div>
      <p v-if="trouble" class="mt-3 border-l-4 border-vermilion bg-vermilion-wash px-3 py-2" role="alert">
        {{ trouble }}
      </p>

      <div class="mt-6 flex items-baseline gap-4 border-b-2 border-ink pb-1">
        <h2 class="text-lg">Fingerprint over time</h2>
        <span class="text-sm text-ink-2">hollow: as found · solid: as left · upright: no error · 45°: the limit</span>
      </div>
      <ul class="rows">
        <li v-for="h in data.history" :key="h.id" class="grid grid-cols-[170px_1fr_auto] items-center gap-4 py-3">
          <div>
            <span class="font-semibold">{{ localDay(h.ended_at ?? h.opened_at) }}</span>
            <span class="block text-sm text-ink-2">{{ h.by }}</span>
            <span
              class="block text-sm"
              :class="
                h.result?.startsWith('conforms')
                  ? 'text-petrol'
                  : h.result
                    ? 'font-semibold text-vermilion'
                    : 'text-brass'
              "
            >
              {{ resultWords(h) }}
            </span>
          </div>
          <FingerPrint v-if="h.needles?.length" :needles="h.needles" />
          <span v-else class="text-ink-2">no points closed yet</span>
          <span class="text-right text-sm">
            <a
              v-if="h.status === 'signed' && !h.paper"
              class="underline"
              :href="`/api/runs/${h.id}/certificate.pdf`"
              target="_blank"
            >
              certificate
            </a>
            <span v-else-if="h.paper" class="text-ink-2">from older paper</span>
            <RouterLink v-if="!h.paper" class="ml-3 underline" :to="{ name: 'run', params: { id: h.id } }"
              >record</RouterLink
            >
          </span>
        </li>
      </ul>
      <p v-if="!data.history.length" class="py-4 text-ink-2">Nothing was recorded on this device yet.</p>
    </section>

    <aside>
      <h2 class="border-b-2 border-ink pb-1 text-lg">What recurs</h2>
      <ul class="rows">
        <li v-for="a in data.activities" :key="a.title" class="py-3">
          <span class="font-semibold">{{ a.title }}</span>
          <span class="block" :class="a.days < 0 && 'font-semibold text-vermilion'">
            {{ dueWords(a.days) }}, {{ localDay(a.due_on) }}
          </span>
          <span class="block text-sm text-ink-2">{{ a.reason }}</span>
        </li>
      </ul>
      <h2 class="mt-6 border-b-2 border-ink pb-1 text-lg">About it</h2>
      <dl class="mt-2 grid grid-cols-[110px_1fr] gap-y-2">
        <dt class="text-ink-2">Maker</dt>
        <dd>{{ data.maker }}</dd>
        <dt class="text-ink-2">Model</dt>
        <dd>{{ data.model }}</dd>
        <dt class="text-ink-2">Risk</dt>
        <dd><RiskMark :risk="data.risk" /></dd>
        <template v-for="(text, key) in data.limits" :key="key">
          <dt class="text-ink-2">Limit, {{ key }}</dt>
          <dd class="num text-sm">{{ text }} <span class="font-sans text-ink-2">(the maker’s)</span></dd>
        </template>
        <template v-for="(text, key) in data.settings" :key="key">
          <dt class="text-ink-2">{{ key }}</dt>
          <dd class="num text-sm">{{ text }}</dd>
        </template>
      </dl>
    </aside>
  </main>
  <QueryState v-else :error="error" what="device" @again="refetch()" />
</template>
