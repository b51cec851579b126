<script setup lang="ts">
import { computed, ref } from 'vue'
import { useQuery } from '@tanstack/vue-query'
import { useRouter } from 'vue-router'
import AgendaList from '../rounds/AgendaList.vue'
import DayStrip from '../rounds/DayStrip.vue'
import QueryState from '../components/QueryState.vue'
import RiskMark from '../components/RiskMark.vue'
import YearLoad from '../rounds/YearLoad.vue'
import { api } from '../api/client'
import { clock } from '../rounds/clock'
import { dueWords, isoDay } from '../composables/words'
import { useSession } from '../composables/useSession'
import SectionTitle from '../components/SectionTitle.vue'
import AlertNote from '../components/AlertNote.vue'
import { queries, useCached } from '../api/queries'
import { useLatest } from '../rounds/useLatest'
import { useSend } from '../composables/useSend'

/** A day's round: what is done in which order, waits filled, and what to bring. */
const props = defineProps<{ day?: string }>()
const router = useRouter()
const { keep } = useCached()
const { person, can } = useSession()
const today = isoDay(new Date())
const days = Array.from({ length: 8 }, (_, i) => {
  const d = new Date()
  d.setDate(d.getDate() + i)
  return {
    iso: isoDay(d),
    words: i === 0 ? 'Today' : d.toLocaleDateString('en-GB', { weekday: 'short', day: 'numeric' }),
  }
})
const day = computed(() => props.day || days[1]!.iso)
const { data, error, refetch } = useQuery(queries.round(day))
const at = ref<string>()
const { trouble, sending: busy, send } = useSend()
interface Change {
  day: string
  people?: string[]
  jobs?: string[]
  order?: string[]
  now?: boolean
}
/** Who and what was wished last for a day, where the answer is still to come: the next tick counts from there. */
const wished = ref<Change>()
const wish = computed(() => (wished.value?.day === day.value ? wished.value : undefined))
const people = computed(() => wish.value?.people ?? data.value?.people ?? [])
const { change: saveNext } = useLatest<Change>(save)
async function plan(change: Omit<Change, 'day'>) {
  wished.value = { ...wish.value, ...change, day: day.value }
  if (await saveNext({ ...change, day: day.value })) wished.value = undefined
}
async function save(change: Change) {
  const v = data.value
  if (!v || change.day !== day.value) return
  const path = { day: change.day }
  const body = {
    people: change.people ?? v.people,
    jobs: change.jobs ?? v.jobs.filter((j) => j.chosen).map((j) => j.id),
    order: change.order ?? [],
    who: change.order ? v.plan.who : undefined,
    now: change.now,
  }
  const saved = await send(() => api.POST('/api/rounds/{day}', { params: { path }, body }))
  if (saved) keep('round', saved, path.day)
}
const toggle = (list: string[], one: string) => (list.includes(one) ? list.filter((x) => x !== one) : [...list, one])
const chosen = computed(() => wish.value?.jobs ?? data.value?.jobs.filter((j) => j.chosen).map((j) => j.id) ?? [])
const others = computed(() => data.value?.jobs.filter((j) => !j.chosen) ?? [])
const left = computed(() => data.value?.jobs.filter((j) => j.left) ?? [])
const idle = computed(() => {
  const v = data.value
  return v ? v.plan.filled : 0
})
</script>

<template>
  <main v-if="data" class="mx-auto max-w-[1400px] p-4 sm:p-6">
    <div class="flex flex-wrap items-end gap-x-5 gap-y-2">
      <h1 class="text-3xl">Rounds</h1>
      <div class="flex flex-wrap gap-1" role="group" aria-label="Day">
        <button
          v-for="d in days"
          :key="d.iso"
          class="min-h-11 border-b-[3px] px-2"
          :class="d.iso === day ? 'border-brass font-bold' : 'border-transparent text-ink-2 hover:text-ink'"
          :aria-pressed="d.iso === day"
          @click="router.push({ name: 'rounds', params: { day: d.iso } })"
        >
          {{ d.words }}
        </button>
      </div>
      <div class="ml-auto flex gap-3">
        <RouterLink class="btn" :to="{ name: 'intervals' }">Intervals</RouterLink>
        <a class="btn" :href="`/api/rounds/${day}/calendar.ics`">Calendar file</a>
      </div>
    </div>
    <div class="mt-2 flex flex-wrap items-center gap-x-4 text-[0.9375rem]">
      <span class="text-ink-2">Who works:</span>
      <label v-for="p in data.all" :key="p" class="flex min-h-11 items-center gap-2">
        <input
          type="checkbox"
          class="size-5 accent-ink"
          :checked="people.includes(p)"
          :disabled="p !== person?.name && !can('plan others\' rounds')"
          @change="plan({ people: toggle(people, p) })"
        />
        {{ p }}
      </label>
      <span v-if="!can('plan others\' rounds')" class="text-ink-2">A lead plans the rounds of others.</span>
      <span v-for="c in data.closed" :key="c" class="text-ink-2">○ {{ c }}</span>
    </div>
    <AlertNote class="mt-2" :words="trouble" />
    <div class="mt-3 grid gap-8 lg:grid-cols-[minmax(0,1fr)_330px]">
      <section>
        <div class="flex flex-wrap items-baseline gap-x-5 border-l-4 border-petrol bg-petrol-wash px-4 py-2">
          <template v-if="data.plan.blocks.length">
            <span
              >Done at <b class="num text-xl">{{ clock(data.plan.ends) }}</b></span
            >
            <span
              ><b class="num">{{ data.plan.hands }}</b> min of hands</span
            >
            <span
              ><b class="num">{{ data.plan.way }}</b> min on the way</span
            >
            <span
              ><b class="num">{{ idle }}</b> min of waiting filled</span
            >
            <span class="text-ink-2">no plan of these ends before {{ clock(data.plan.bound) }}</span>
          </template>
          <span v-else>Nothing is planned: choose who works, and jobs.</span>
          <span class="ml-auto flex gap-2">
            <button class="btn" :disabled="busy" @click="plan({})">Order it anew</button>
            <button v-if="day === today" class="btn" :disabled="busy" @click="plan({ now: true })">From now</button>
          </span>
        </div>
        <DayStrip
          v-for="p in data.people"
          :key="p"
          :name="p"
          :blocks="data.plan.blocks.filter((b) => b.person === p)"
          :from="data.from"
          :until="data.until"
          :at="at"
        />
        <div class="mt-4">
          <AgendaList
            :blocks="data.plan.blocks"
            :jobs="data.jobs"
            :many="data.people.length > 1"
            @at="at = $event"
            @order="plan({ order: $event })"
            @leave="plan({ jobs: chosen.filter((j) => j !== $event) })"
          />
        </div>
        <template v-if="left.length">
          <h2 class="mt-5 text-lg">Does not fit</h2>
          <ul class="rows border-y border-line">
            <li v-for="j in left" :key="j.id" class="flex items-center gap-3 py-2">
              <span class="text-vermilion">◇</span>
              <span
                ><b class="num">{{ j.tag }}</b> {{ j.title
                }}<span class="block text-sm text-ink-2">{{ j.left }}</span></span
              >
              <button class="btn-small ml-auto" @click="plan({ jobs: chosen.filter((x) => x !== j.id) })">×</button>
            </li>
          </ul>
        </template>
        <YearLoad />
      </section>
      <aside>
        <SectionTitle>To bring</SectionTitle>
        <ul class="rows">
          <li v-for="k in data.kit" :key="k.title" class="py-2">
            <span class="font-semibold">{{ k.title }}</span>
            <span class="block text-sm" :class="k.problem ? 'font-semibold text-vermilion' : 'text-ink-2'">
              <span v-if="k.tags.length" class="num">{{ k.tags.join(', ') }}</span><template v-if="k.litres">
                · <span class="num">{{ Math.ceil(k.litres) }}</span> L needed,
                <span class="num">{{ Math.floor(k.left ?? 0) }}</span> left</template
              >
              <template v-if="k.problem"> {{ k.problem }}</template>
            </span>
          </li>
        </ul>
        <p v-if="!data.kit.length" class="py-2 text-ink-2">Nothing.</p>
        <SectionTitle class="mt-6">Could be done too</SectionTitle>
        <ul class="rows max-h-[420px] overflow-auto">
          <li v-for="j in others" :key="j.id" class="flex items-center gap-2 py-2">
            <RiskMark :risk="j.risk" />
            <span class="min-w-0 grow text-sm"
              ><b class="num">{{ j.tag }}</b> {{ j.title
              }}<span class="block text-ink-2" :class="j.days < 0 && 'text-vermilion'"
                >{{ dueWords(j.days) }} · {{ j.place }}, {{ j.site }}</span
              ></span
            >
            <button class="btn-small" :aria-label="`Take ${j.tag} in`" @click="plan({ jobs: [...chosen, j.id] })">
              +
            </button>
          </li>
        </ul>
      </aside>
    </div>
  </main>
  <QueryState v-else :error="error" what="round" @again="refetch()" />
</template>
