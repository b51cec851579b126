<script setup lang="ts">
import { computed } from 'vue'
import { useQuery } from '@tanstack/vue-query'
import { useRoute, useRouter } from 'vue-router'
import QueryState from '../components/QueryState.vue'
import StateMark from '../components/StateMark.vue'
import DueRow from '../components/DueRow.vue'
import { useClock } from '../composables/useClock'
import { useSession } from '../composables/useSession'
import { useStartRun } from '../composables/useStartRun'
import { elapsed } from '../composables/words'
import SectionTitle from '../components/SectionTitle.vue'
import FirstSteps from '../components/FirstSteps.vue'
import WeeksAhead from '../components/WeeksAhead.vue'
import AlertNote from '../components/AlertNote.vue'
import { queries } from '../api/queries'

/** Whose devices are meant stands in the address, so that a view can be kept. */
const route = useRoute()
const router = useRouter()
const said = (name: string) => (typeof route.query[name] === 'string' ? route.query[name] : '')
const of = computed(() => ({ site: said('site') || undefined, keeper: said('keeper') || undefined }))
const choose = (name: string, event: Event) =>
  router.replace({ query: { ...route.query, [name]: (event.target as HTMLSelectElement).value || undefined } })
const { data, error, refetch } = useQuery(queries.today(of))
const groups = computed(() =>
  [
    { name: 'site', label: 'Site', any: 'every site', all: data.value?.sites ?? [] },
    { name: 'keeper', label: 'Looked after by', any: 'anybody', all: data.value?.keepers ?? [] },
  ].filter((g) => said(g.name) || g.all.some((o) => o.name)),
)
const counts = (g: { overdue: number; due: number }) =>
  [g.overdue && `${g.overdue} overdue`, g.due && `${g.due} due`].filter(Boolean).join(', ') || 'nothing due'
const { data: controls } = useQuery(queries.controls())
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
  <main v-if="data" class="mx-auto grid max-w-[1400px] gap-8 p-4 sm:p-6 lg:grid-cols-[minmax(0,1fr)_340px]">
    <section>
      <h1 class="text-3xl">{{ day }}</h1>
      <p class="mt-1 text-ink-2">
        <span :class="data.overdue_count ? 'font-semibold text-vermilion' : ''">{{ data.overdue_count }} overdue</span>
        · {{ data.due_count }} due within 14 days · {{ data.open.length }} in progress ·
        {{ data.review.length }} waiting for review
      </p>
      <FirstSteps v-if="can('set rules')" class="mt-5" />
      <div class="mt-3 flex flex-wrap items-end gap-x-4 gap-y-2">
        <label v-for="g in groups" :key="g.name" class="min-w-36 grow sm:w-44 sm:grow-0">
          <span class="label">{{ g.label }}</span>
          <select class="field" :name="g.name" :value="said(g.name)" @change="choose(g.name, $event)">
            <option value="">{{ g.any }}</option>
            <option v-for="one in g.all.filter((o) => o.name)" :key="one.name" :value="one.name">
              {{ one.name }} · {{ counts(one) }}
            </option>
            <option v-if="said(g.name) && !g.all.some((o) => o.name === said(g.name))">{{ said(g.name) }}</option>
          </select>
        </label>
        <WeeksAhead :weeks="data.weeks" class="sm:ml-auto max-sm:w-full" />
      </div>
      <AlertNote class="mt-3" :words="trouble" />

      <template v-if="toReview.length">
        <SectionTitle class="mt-6">For you to review</SectionTitle>
        <ul class="rows">
          <li v-for="r in toReview" :key="r.id" class="flex flex-wrap items-center gap-x-4 gap-y-1 py-2 sm:flex-nowrap">
            <span class="num w-24 font-medium">{{ r.tag }}</span>
            <span class="grow">
              {{ r.device }} <span class="text-ink-2">· {{ r.title }}</span>
              <span class="block text-sm text-ink-2">signed by {{ r.by }}: {{ r.result }}</span>
            </span>
            <RouterLink class="btn btn-main" :to="{ name: 'run', params: { id: r.id } }">Review</RouterLink>
          </li>
        </ul>
      </template>

      <SectionTitle class="mt-6">Overdue, the riskiest first</SectionTitle>
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
        <RouterLink class="underline" :to="{ name: 'equipment', query: { ...of, due: 'overdue', sort: 'due' } }"
          >See every device that is overdue</RouterLink
        >
      </p>

      <SectionTitle class="mt-6">Due within 14 days</SectionTitle>
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
      <p v-if="data.due_count > data.due.length" class="py-2 text-sm text-ink-2">
        and {{ data.due_count - data.due.length }} more.
        <RouterLink class="underline" :to="{ name: 'equipment', query: { ...of, due: 'month', sort: 'due' } }"
          >See every device that is due within 30 days</RouterLink
        >
      </p>
    </section>

    <aside class="lg:pt-16">
      <SectionTitle>In progress</SectionTitle>
      <ul class="rows">
        <li v-for="r in data.open" :key="r.id">
          <RouterLink :to="{ name: 'run', params: { id: r.id } }" class="block min-h-11 py-2 hover:bg-brass-wash">
            <span class="num font-medium">{{ r.tag }}</span> {{ r.device }}
            <span class="block text-sm text-ink-2">
              {{ r.by }} · open {{ since(r.opened_at) }} · now: {{ r.now }}
              <span v-if="r.loose" class="font-semibold text-brass"> · {{ r.loose }} loose</span>
            </span>
          </RouterLink>
        </li>
      </ul>
      <p v-if="!data.open.length" class="py-2 text-ink-2">No run is open.</p>

      <SectionTitle class="mt-6">Waiting for review</SectionTitle>
      <ul class="rows">
        <li v-for="r in data.review" :key="r.id">
          <RouterLink :to="{ name: 'run', params: { id: r.id } }" class="block min-h-11 py-2 hover:bg-brass-wash">
            <span class="num font-medium">{{ r.tag }}</span> {{ r.device }}
            <span class="block text-sm text-ink-2">{{ r.by }} · {{ r.result }}</span>
            <StateMark v-if="r.stands" :stands="r.stands" class="block text-sm" />
          </RouterLink>
        </li>
      </ul>
      <p v-if="!data.review.length" class="py-2 text-ink-2">Nothing waits.</p>

      <template v-if="data.drafts.length">
        <SectionTitle class="mt-6">Procedures to read and release</SectionTitle>
        <ul class="rows">
          <li v-for="d in data.drafts" :key="d.id">
            <RouterLink :to="{ name: 'draft', params: { id: d.id } }" class="block min-h-11 py-2 hover:bg-brass-wash">
              {{ d.title || d.procedure }}
              <span class="block text-sm text-ink-2">{{ d.by }} · {{ d.why }}</span>
            </RouterLink>
          </li>
        </ul>
      </template>

      <SectionTitle class="mt-6">What to bring</SectionTitle>
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
        <SectionTitle class="mt-6">Controls rejected: no patient work</SectionTitle>
        <ul class="rows">
          <li v-for="c in rejected" :key="c.asset + c.analyte">
            <RouterLink
              :to="{ name: 'control', params: { asset: c.asset, analyte: c.analyte } }"
              class="flex min-h-11 items-start gap-2 py-2 hover:bg-brass-wash"
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
        <SectionTitle class="mt-6">References not to use</SectionTitle>
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
