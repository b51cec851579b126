<script setup lang="ts">
import { computed, nextTick, onMounted, ref, shallowRef, watch } from 'vue'
import { useIntervalFn } from '@vueuse/core'
import { useQuery } from '@tanstack/vue-query'
import AlertNote from '../components/AlertNote.vue'
import AskDialog from '../components/AskDialog.vue'
import DataTable from '../components/DataTable.vue'
import HistoryList from '../components/HistoryList.vue'
import QueryState from '../components/QueryState.vue'
import SectionTitle from '../components/SectionTitle.vue'
import InstrumentForm from './InstrumentForm.vue'
import LinkState from './LinkState.vue'
import { api } from '../api/client'
import { queries, useCached } from '../api/queries'
import type { components } from '../api/schema.gen'
import { useSend } from '../composables/useSend'
import { useSession } from '../composables/useSession'
import { dayWords, localTime, unitWords } from '../composables/words'

/** One instrument: what it shows now, what it is set to, every line both ways, the certificate beside it. */
const props = defineProps<{ id: string }>()
const { data, error, refetch } = useQuery(queries.instrument(() => props.id))
const { refresh } = useCached()
const { can } = useSession()
const { trouble, sending, send } = useSend()
const changing = ref(false)
const retiring = ref(false)

type Line = components['schemas']['ConsoleLine']
const lines = shallowRef<Line[]>([])
const board = ref<HTMLElement>()
let asking = false
async function listen() {
  if (asking || document.visibilityState === 'hidden') return
  asking = true
  try {
    const after = lines.value.at(-1)?.n ?? 0
    const params = { path: { id: props.id }, query: { after } }
    const { data: fresh } = await api.GET('/api/instruments/{id}/console', { params })
    if (!fresh?.length) return
    const low = board.value && board.value.scrollHeight - board.value.scrollTop - board.value.clientHeight < 40
    lines.value = [...lines.value, ...fresh].slice(-400)
    await nextTick()
    if (low !== false && board.value) board.value.scrollTop = board.value.scrollHeight
  } catch {
    // The server is away, as is said at the top.
  } finally {
    asking = false
  }
}
onMounted(listen)
useIntervalFn(listen, 500)
const clock = (at: string) => new Date(at).toTimeString().slice(0, 8) + '.' + at.slice(20, 23).padEnd(3, '0')

/** The last minute of the channel that is drawn. */
const drawn = ref('')
const history = ref<{ at: number; v: number }[]>([])
watch(data, (d) => {
  drawn.value ||= d?.channels[0]?.id ?? ''
  const c = d?.channels.find((x) => x.id === drawn.value)
  const now = Date.now()
  if (c?.value === undefined || c.age > c.stale) return
  history.value = [...history.value.filter((h) => now - h.at < 60_000), { at: now, v: c.value }]
})
watch(drawn, () => (history.value = []))
const path = computed(() => {
  const all = history.value
  if (all.length < 2) return ''
  const low = Math.min(...all.map((h) => h.v))
  const high = Math.max(...all.map((h) => h.v))
  const span = high - low || Math.abs(high) / 100 || 1
  const end = all.at(-1)!.at
  return all
    .map(
      (h, i) =>
        `${i ? 'L' : 'M'}${(600 - (end - h.at) / 100).toFixed(1)} ${(92 - ((h.v - low) / span) * 84).toFixed(1)}`,
    )
    .join('')
})

const line = ref('')
const setting = ref('')
const value = ref('')
const said = ref('')
async function attempt(body: components['schemas']['InstrumentTry'], words: string) {
  said.value = ''
  const answer = await send(() => api.POST('/api/instruments/{id}/try', { params: { path: { id: props.id } }, body }))
  if (answer) said.value = answer.answer ? `${words} It says: ${answer.answer}` : words
  await listen()
}
async function retire(why: string) {
  retiring.value = false
  await send(() => api.POST('/api/instruments/{id}/retire', { params: { path: { id: props.id } }, body: { why } }))
  await refresh('instruments', 'instrument', 'bench')
}
</script>

<template>
  <main v-if="data" class="mx-auto grid max-w-[1400px] gap-8 p-4 sm:p-6 lg:grid-cols-[minmax(0,1fr)_minmax(0,460px)]">
    <section>
      <div class="flex items-start gap-3">
        <div class="mr-auto min-w-0">
          <p class="text-sm">
            <RouterLink :to="{ name: 'instruments' }" class="underline">Instruments</RouterLink>
          </p>
          <h1 class="text-3xl">{{ data.name }}</h1>
          <p class="mt-1"><LinkState :instrument="data" /></p>
          <p class="mt-1 max-w-[70ch] text-ink-2">
            {{ data.trouble || data.link?.words }}
            <template v-if="data.link?.idn">It says of itself: “{{ data.link.idn }}”.</template>
          </p>
        </div>
        <template v-if="can('keep instruments') && !data.retired">
          <button class="btn" @click="changing = true">Change …</button>
          <button class="btn" @click="retiring = true">Retire …</button>
        </template>
      </div>
      <p v-if="data.link?.holder" class="mt-3 border-l-4 border-brass bg-brass-wash px-3 py-2">
        {{ data.link.holder.name }} holds it for <b class="num">{{ data.link.holder.device }}</b> since
        <span class="num">{{ localTime(data.link.holder.since) }}</span>. While a run reads it, it is not tried.
      </p>

      <SectionTitle class="mt-5">It shows</SectionTitle>
      <DataTable :columns="['Channel', 'Quantity', { title: 'Now', right: true, class: 'pr-3' }, 'Age', '']" top>
        <tr v-for="c in data.channels" :key="c.id">
          <td class="num py-2 pr-3 font-medium">{{ c.id }}</td>
          <td class="py-2 pr-3">{{ c.quantity }}</td>
          <td
            class="num py-2 pr-3 text-right text-xl whitespace-nowrap"
            :class="c.age > c.stale && !c.key && 'hatched'"
          >
            {{ c.value === undefined ? '–' : Number(c.value.toPrecision(6)) }}
            <span class="text-sm text-ink-2">{{ unitWords(c.unit) }}</span>
          </td>
          <td
            class="num py-2 pr-3 text-sm whitespace-nowrap"
            :class="c.age > c.stale && !c.key ? 'text-vermilion' : 'text-ink-2'"
          >
            {{ c.value === undefined ? (c.key ? 'at its own key' : 'nothing yet') : `${c.age.toFixed(1)} s` }}
            <template v-if="c.moving"> · moves</template>
          </td>
          <td class="py-2 text-right">
            <button class="btn btn-small" :aria-pressed="drawn === c.id" @click="drawn = c.id">
              {{ drawn === c.id ? 'drawn' : 'draw' }}
            </button>
          </td>
        </tr>
      </DataTable>
      <svg
        viewBox="0 0 600 100"
        class="mt-2 h-28 w-full border border-line bg-sheet"
        preserveAspectRatio="none"
        role="img"
        :aria-label="`the last minute of ${drawn}`"
      >
        <path :d="path" fill="none" stroke="currentColor" stroke-width="1.5" vector-effect="non-scaling-stroke" />
      </svg>

      <template v-if="data.settings.length">
        <SectionTitle class="mt-5">It is set to</SectionTitle>
        <dl class="mt-2 grid sm:grid-cols-[auto_1fr] gap-x-6 gap-y-1">
          <template v-for="s in data.settings" :key="s.id">
            <dt>{{ s.id }}</dt>
            <dd class="num">
              {{ s.reads ? s.says || 'not read back yet' : 'cannot be read back' }}
              <span v-if="s.by_hand" class="text-sm text-ink-2">by its own menu only, </span>
              <span v-if="s.at" class="text-sm text-ink-2">at {{ clock(s.at).slice(0, 8) }}</span>
            </dd>
          </template>
        </dl>
      </template>

      <SectionTitle class="mt-5">By its certificate</SectionTitle>
      <p v-if="data.belongs" class="mt-2">
        It is
        <RouterLink
          :to="data.reference ? `/references/${data.belongs}` : `/equipment/${data.belongs}`"
          class="num font-medium underline"
          >{{ data.belongs }}</RouterLink
        >
        {{ data.reference
        }}<template v-if="data.certificate"
          >: certificate <span class="num">{{ data.certificate }}</span>,
          <span :class="data.overdue ? 'font-semibold text-vermilion' : ''"
            >{{ data.overdue ? '◆ ran out' : 'valid until' }} {{ dayWords(data.due) }}</span
          ></template
        >.
      </p>
      <p v-else class="mt-2 text-ink-2">It is nobody’s: what it shows stands by no certificate of its own.</p>
      <p class="mt-1 text-sm text-ink-2">
        {{ data.profile_title }} · {{ data.transport }} <span class="num">{{ data.address }}</span>
        <template v-if="data.line"> · {{ data.line }}</template> · profile text
        <span class="num">{{ data.hash.slice(0, 10) }}</span>
      </p>
      <HistoryList :id="data.id" of="instrument" />
    </section>

    <aside class="flex min-h-0 flex-col">
      <SectionTitle>Every line</SectionTitle>
      <ol
        ref="board"
        class="num mt-2 h-96 overflow-auto border border-line bg-sheet p-2 text-sm leading-6"
        aria-label="lines sent and received"
        tabindex="0"
      >
        <li v-for="l in lines" :key="l.n" class="whitespace-pre-wrap break-all" :class="l.sent ? 'text-brass' : ''">
          <span class="text-ink-2">{{ clock(l.at) }}</span> {{ l.sent ? '→' : '←' }} {{ l.text }}
        </li>
        <li v-if="!lines.length" class="text-ink-2">Nothing was sent, and nothing came.</li>
      </ol>
      <template v-if="can('try instruments') && !data.retired">
        <form class="mt-3 flex gap-2" @submit.prevent="attempt({ line }, 'Sent.')">
          <label class="grow"
            ><span class="label">Send a line as it is</span
            ><input v-model="line" name="line" class="field num" autocomplete="off" maxlength="200"
          /></label>
          <button class="btn self-end" :disabled="sending || !line.trim()">Send</button>
        </form>
        <p v-if="data.never.length" class="mt-1 text-sm text-ink-2">
          Never sent, by nobody: <span class="num">{{ data.never.join(', ') }}</span>
        </p>
        <form
          v-if="data.settings.some((s) => !s.by_hand)"
          class="mt-3 flex gap-2"
          @submit.prevent="attempt({ setting, value }, 'Set.')"
        >
          <label class="grow"
            ><span class="label">Set</span>
            <select v-model="setting" name="setting" class="field">
              <option value="" disabled>choose …</option>
              <option v-for="s in data.settings.filter((s) => !s.by_hand)" :key="s.id">{{ s.id }}</option>
            </select></label
          >
          <label class="grow"
            ><span class="label">to</span><input v-model="value" name="value" class="field num" autocomplete="off"
          /></label>
          <button class="btn self-end" :disabled="sending || !setting || !value.trim()">Set, and read back</button>
        </form>
        <p v-if="data.acts.length" class="mt-3 flex flex-wrap gap-2">
          <button
            v-for="a in data.acts"
            :key="a"
            class="btn"
            :disabled="sending"
            @click="attempt({ act: a }, `Told to ${a}.`)"
          >
            {{ a }}
          </button>
        </p>
        <p v-if="said" class="mt-3 border-l-4 border-petrol bg-petrol-wash px-3 py-2" role="status">{{ said }}</p>
      </template>
      <AlertNote class="mt-3" :words="trouble" />
    </aside>
    <InstrumentForm v-if="changing" :of="data" @close="changing = false" />
    <AskDialog
      v-if="retiring"
      :title="`Retire ${data.name}`"
      hint="Its link ends for good. What was recorded through it stays."
      label="Why"
      action="Retire it"
      @done="retire"
      @close="retiring = false"
    />
  </main>
  <QueryState v-else :error="error" what="instrument" @again="refetch()" />
</template>
