<script setup lang="ts">
import { computed } from 'vue'
import { useQuery } from '@tanstack/vue-query'
import QueryState from '../components/QueryState.vue'
import DueRow from '../components/DueRow.vue'
import { answer, api } from '../api/client'
import { useClock } from '../composables/useClock'
import { useSession } from '../composables/useSession'
import { useStartRun } from '../composables/useStartRun'
import { elapsed } from '../composables/words'

const { data, error, refetch } = useQuery({
  queryKey: ['today'],
  queryFn: () => answer(api.GET('/api/today')),
  refetchInterval: 60_000,
})
const { data: controls } = useQuery({ queryKey: ['controls'], queryFn: () => answer(api.GET('/api/controls')) })
const rejected = computed(() => (controls.value ?? []).filter((c) => c.rejected))
const { can, person } = useSession()
const now = useClock()
const day = computed(() =>
  new Date(now.value).toLocaleDateString('en-GB', { weekday: 'long', day: 'numeric', month: 'long' }),
)
const { start, starting, trouble } = useStartRun()
const since = (at: string) => elapsed(now.value - new Date(at).getTime())
const toReview = computed(() => (data.value?.review ?? []).filter((r) => r.reviewer === person.value?.id))
</script>

<template>
  <main v-if="data" class="mx-auto grid max-w-[1400px] gap-8 p-6 lg:grid-cols-[minmax(0,1fr)_340px]">
    <section>
      <h1 class="text-3xl">{{ day }}</h1>
      <p class="mt-1 text-ink-2">
        <span :class="data.overdue_count ? 'font-semibold text-vermilion' : ''">{{ data.overdue_count }} overdue</span>
        · {{ data.due.length }} due within 14 days · {{ data.open.length }} in progress ·
        {{ data.review.length }} waiting for review
      </p>
      <p v-if="trouble" class="mt-3 border-l-4 border-vermilion bg-vermilion-wash px-3 py-2" role="alert">
        {{ trouble }}
      </p>

      <template v-if="toReview.length">
        <h2 class="mt-6 border-b-2 border-ink pb-1 text-lg">For you to review</h2>
        <ul class="rows">
          <li v-for="r in toReview" :key="r.id" class="flex items-center gap-4 py-2">
            <span class="num w-24 font-medium">{{ r.tag }}</span>
            <span class="grow">
              {{ r.device }} <span class="text-ink-2">· {{ r.title }}</span>
              <span class="block text-sm text-ink-2">signed by {{ r.by }}: {{ r.result }}</span>
            </span>
            <RouterLink class="btn btn-main" :to="{ name: 'run', params: { id: r.id } }">Review</RouterLink>
          </li>
        </ul>
      </template>

      <h2 class="mt-6 border-b-2 border-ink pb-1 text-lg">Overdue, the riskiest first</h2>
      <ul class="rows">
        <DueRow
          v-for="d in data.overdue"
          :key="d.asset + d.title"
          :due="d"
          :starting="starting === d.asset"
          :may-start="can('work runs')"
          @start="start(d.asset, d.procedure)"
        />
      </ul>
      <p v-if="!data.overdue.length" class="py-3 text-ink-2">Nothing is overdue.</p>
      <p v-if="data.overdue_count > data.overdue.length" class="py-2 text-sm text-ink-2">
        and {{ data.overdue_count - data.overdue.length }} more; they come up as these are done.
      </p>

      <h2 class="mt-6 border-b-2 border-ink pb-1 text-lg">Due within 14 days</h2>
      <ul class="rows">
        <DueRow
          v-for="d in data.due"
          :key="d.asset + d.title"
          :due="d"
          :starting="starting === d.asset"
          :may-start="can('work runs')"
          @start="start(d.asset, d.procedure)"
        />
      </ul>
      <p v-if="!data.due.length" class="py-3 text-ink-2">Nothing falls due in the next 14 days.</p>
    </section>

    <aside class="lg:pt-16">
      <h2 class="border-b-2 border-ink pb-1 text-lg">In progress</h2>
      <ul class="rows">
        <li v-for="r in data.open" :key="r.id">
          <RouterLink :to="{ name: 'run', params: { id: r.id } }" class="block py-2 hover:bg-brass-wash">
            <span class="num font-medium">{{ r.tag }}</span> {{ r.device }}
            <span class="block text-sm text-ink-2">
              {{ r.by }} · open {{ since(r.opened_at) }} · now: {{ r.now }}
              <span v-if="r.loose" class="font-semibold text-brass"> · {{ r.loose }} loose</span>
            </span>
          </RouterLink>
        </li>
      </ul>
      <p v-if="!data.open.length" class="py-2 text-ink-2">No run is open.</p>

      <h2 class="mt-6 border-b-2 border-ink pb-1 text-lg">Waiting for review</h2>
      <ul class="rows">
        <li v-for="r in data.review" :key="r.id">
          <RouterLink :to="{ name: 'run', params: { id: r.id } }" class="block py-2 hover:bg-brass-wash">
            <span class="num font-medium">{{ r.tag }}</span> {{ r.device }}
            <span class="block text-sm text-ink-2">{{ r.by }} · {{ r.result }}</span>
          </RouterLink>
        </li>
      </ul>
      <p v-if="!data.review.length" class="py-2 text-ink-2">Nothing waits.</p>

      <h2 class="mt-6 border-b-2 border-ink pb-1 text-lg">What to bring</h2>
      <ul class="rows">
        <li v-for="b in data.bring" :key="b.title" class="flex gap-3 py-2">
          <span class="grow">
            {{ b.title
            }}<span class="block text-sm text-ink-2">for {{ b.for }} {{ b.for === 1 ? 'job' : 'jobs' }}</span>
          </span>
          <span v-if="b.problem" class="font-semibold text-vermilion">{{ b.problem }}</span>
          <span v-else class="num text-right">{{ b.tags.join(' ') }}</span>
        </li>
      </ul>
      <p v-if="!data.bring.length" class="py-2 text-ink-2">Nothing special.</p>

      <template v-if="rejected.length">
        <h2 class="mt-6 border-b-2 border-ink pb-1 text-lg">Controls rejected: no patient work</h2>
        <ul class="rows">
          <li v-for="c in rejected" :key="c.asset + c.analyte">
            <RouterLink
              :to="{ name: 'control', params: { asset: c.asset, analyte: c.analyte } }"
              class="flex gap-2 py-2 hover:bg-brass-wash"
            >
              <span class="mt-1 text-vermilion" aria-hidden="true">◆</span>
              <span
                ><span class="num font-medium">{{ c.asset }}</span> {{ c.analyte }}, {{ c.place }}</span
              >
            </RouterLink>
          </li>
        </ul>
      </template>

      <template v-if="data.troubles.length">
        <h2 class="mt-6 border-b-2 border-ink pb-1 text-lg">References not to use</h2>
        <ul class="rows">
          <li v-for="t in data.troubles" :key="t" class="flex gap-2 py-2">
            <span class="mt-1 text-vermilion" aria-hidden="true">◆</span>{{ t }}
          </li>
        </ul>
      </template>
    </aside>
  </main>
  <QueryState v-else :error="error" what="day" @again="refetch()" />
</template>
