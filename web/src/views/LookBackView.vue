<script setup lang="ts">
import { computed, ref } from 'vue'
import { useQuery } from '@tanstack/vue-query'
import AskDialog from '../components/AskDialog.vue'
import QueryState from '../components/QueryState.vue'
import RiskMark from '../components/RiskMark.vue'
import NoticeCard from '../lookback/NoticeCard.vue'
import TouchedRuns from '../lookback/TouchedRuns.vue'
import { api } from '../api/client'
import { useSession } from '../composables/useSession'
import { localDay } from '../composables/words'
import AlertNote from '../components/AlertNote.vue'
import { queries, useCached } from '../api/queries'
import { useSend } from '../composables/useSend'

/** What a bad finding touches, and what became of each. */
const props = defineProps<{ id?: string }>()
const { refresh } = useCached()
const { can } = useSession()
const closed = ref(false)
const { data, error, refetch } = useQuery(queries.lookBacks(closed))
const at = computed(() => props.id ?? data.value?.[0]?.id)
const { data: one } = useQuery(queries.lookBack(at))
const concluding = ref(false)
const { trouble, send } = useSend()
async function close(conclusion: string) {
  concluding.value = false
  const params = { path: { id: at.value! } }
  if (await send(() => api.POST('/api/look-backs/{id}/close', { params, body: { conclusion } })))
    await refresh('lookBacks', 'lookBack')
}
/** What is left to do about one, in a few words. */
const left = (b: { closed_at?: string; unsent: number; waiting: number }) =>
  b.closed_at ? 'closed' : b.unsent ? `${b.unsent} to tell` : b.waiting ? `${b.waiting} to answer` : 'ready to close'
</script>

<template>
  <main v-if="data" class="mx-auto grid max-w-[1400px] gap-6 p-4 sm:p-6 lg:grid-cols-[280px_minmax(0,1fr)]">
    <nav aria-label="Look-backs">
      <h1 class="text-3xl">Look-back</h1>
      <div class="mt-2 flex gap-4" role="group" aria-label="Which">
        <button
          v-for="c in [false, true]"
          :key="String(c)"
          class="min-h-11 min-w-12 border-b-[3px]"
          :class="closed === c ? 'border-brass font-bold' : 'border-transparent text-ink-2'"
          :aria-pressed="closed === c"
          @click="closed = c"
        >
          {{ c ? 'Closed' : 'Open' }}
        </button>
      </div>
      <ul class="rows mt-1 border-t-2 border-ink">
        <li v-for="b in data" :key="b.id">
          <RouterLink
            class="block min-h-11 py-2 pl-2 hover:bg-brass-wash"
            :class="b.id === at && 'border-l-4 border-brass bg-sheet'"
            :to="{ name: 'look-back', params: { id: b.id } }"
          >
            <span class="font-semibold">{{ b.title }}</span>
            <span class="flex justify-between gap-2 pr-2 text-sm text-ink-2"
              ><span>{{ localDay(b.opened_at) }}</span>
              <span :class="!b.closed_at && 'font-semibold text-brass'">{{ left(b) }}</span></span
            >
          </RouterLink>
        </li>
      </ul>
      <RouterLink class="mt-3 inline-flex min-h-11 items-center underline" :to="{ name: 'safety' }"
        >Safety notices of makers</RouterLink
      >
      <p v-if="!data.length" class="mt-3 text-ink-2">
        {{ closed ? 'None was closed yet.' : 'Nothing is in doubt.' }}
      </p>
    </nav>
    <section v-if="one" :aria-label="one.title">
      <h2 class="text-2xl">{{ one.title }}</h2>
      <p class="mt-1 text-lg">{{ one.found }}</p>
      <dl class="mt-3 grid sm:grid-cols-[130px_1fr] gap-y-1 border-l-4 border-brass bg-brass-wash px-4 py-3">
        <dt class="text-ink-2">In doubt</dt>
        <dd class="font-semibold">{{ one.window }}</dd>
        <template v-if="one.kind === 'reference'">
          <dt class="text-ink-2">Touched</dt>
          <dd>
            <b class="num">{{ one.touched.length }}</b> runs on <b class="num">{{ one.devices }}</b> devices; the
            statement changes for <b class="num">{{ one.touched.filter((t) => t.changed).length }}</b>,
            <b class="num">{{ one.device_days }}</b> device-days in use since
          </dd>
        </template>
        <dt class="text-ink-2">Used for</dt>
        <dd class="flex gap-2"><RiskMark v-if="one.risk" :risk="one.risk" /> {{ one.use }}</dd>
        <dt class="text-ink-2">Opened</dt>
        <dd>
          {{ localDay(one.opened_at) }} by {{ one.opened_by }}
          <RouterLink v-if="one.asset" class="ml-2 underline" :to="{ name: 'device', params: { id: one.asset } }">{{
            one.asset
          }}</RouterLink>
          <RouterLink
            v-if="one.reference"
            class="ml-2 underline"
            :to="{ name: 'reference', params: { id: one.reference } }"
            >{{ one.reference }}</RouterLink
          >
          <RouterLink v-if="one.run" class="ml-2 underline" :to="{ name: 'run', params: { id: one.run } }"
            >the run</RouterLink
          >
        </dd>
      </dl>
      <template v-if="one.levels.length">
        <h3 class="mt-5 text-lg">Found out</h3>
        <ul class="rows border-y border-line">
          <li v-for="l in one.levels" :key="l" class="py-2">◆ {{ l }}</li>
        </ul>
      </template>
      <h3 class="mt-5 text-lg">Owners</h3>
      <p v-if="!one.told.length" class="text-ink-2">No verdict changes: nobody needs to be told.</p>
      <NoticeCard v-for="n in one.told" :key="n.id" :look-back="one.id" :notice="n" :closed="!!one.closed_at" />
      <TouchedRuns v-if="one.touched.length" :runs="one.touched" />
      <p v-if="one.closed_at" class="mt-5 border-l-4 border-petrol bg-petrol-wash px-4 py-2">
        Closed on {{ localDay(one.closed_at) }} by {{ one.closed_by }}: {{ one.conclusion }}
      </p>
      <template v-else-if="can('close look-backs')">
        <AlertNote class="mt-3" :words="trouble" />
        <button class="btn btn-main mt-5" @click="concluding = true">Close it …</button>
      </template>
    </section>
    <AskDialog
      v-if="concluding"
      title="Close this look-back"
      hint="Every owner has answered. What came of it stays in the record."
      label="Conclusion"
      action="Close it"
      @done="close"
      @close="concluding = false"
    />
  </main>
  <QueryState v-else :error="error" what="look-backs" @again="refetch()" />
</template>
