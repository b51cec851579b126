<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { useRouter } from 'vue-router'
import { useQuery } from '@tanstack/vue-query'
import { api } from '../api/client'
import { queries, useCached } from '../api/queries'
import type { components } from '../api/schema.gen'
import AlertNote from '../components/AlertNote.vue'
import QueryState from '../components/QueryState.vue'
import SectionTitle from '../components/SectionTitle.vue'
import { useSend } from '../composables/useSend'
import { useSession } from '../composables/useSession'
import { counted, dayWords, localDay } from '../composables/words'
import { asRevision, beginDraft } from '../writing/beginDraft'
import LinesThatChange from '../writing/LinesThatChange.vue'

/** A procedure with every revision that is kept: read, compared, printed, and changed by a draft. */
const props = defineProps<{ id: string }>()
type Revision = components['schemas']['ProcedureRevision']
const router = useRouter()
const { can } = useSession()
const { refresh } = useCached()
const { data: all, error, refetch } = useQuery(queries.revisions(() => props.id))
const { data: drafts } = useQuery(queries.drafts())
const { data: house } = useQuery(queries.house())
const about = computed(() => house.value?.procedures.find((p) => p.id === props.id))
const open = computed(() => drafts.value?.filter((d) => d.procedure === props.id) ?? [])
const at = ref('')
const against = ref('')
const text = ref('')
const lines = ref<components['schemas']['DiffLine'][]>()
const { trouble, sending, send } = useSend()
const chosen = computed(() => all.value?.find((r) => r.hash === at.value))
watch(
  all,
  (now) => {
    if (now && !now.some((r) => r.hash === at.value)) at.value = (now.find((r) => r.state === 'in use') ?? now[0])!.hash
  },
  { immediate: true },
)
watch([at, against], async ([hash, before]) => {
  lines.value = undefined
  if (!hash) return
  if (before && before !== hash) {
    const params = { path: { hash, before } }
    lines.value = await send(() => api.GET('/api/revisions/{hash}/since/{before}', { params }))
  }
  const read = await send(() => api.GET('/api/revisions/{hash}', { params: { path: { hash } } }))
  if (read && hash === at.value) text.value = read.text
})
const mark = { 'in use': '● in use', 'to come': '◷ to come', earlier: '○ earlier', 'taken back': '× taken back' }
function words(r: Revision) {
  const parts = [
    r.by && `written by ${r.written}, released by ${r.by} on ${localDay(r.at)}, for use from ${dayWords(r.from ?? '')}`,
    !r.by && r.shipped && 'came with the program',
    !r.by && !r.shipped && 'came with a run, or from the folder of procedures',
    r.runs && counted(r.runs, 'run'),
  ]
  return parts.filter(Boolean).join(' · ')
}
const fresh = crypto.randomUUID()
async function change() {
  const highest = Math.max(...all.value!.map((r) => r.revision))
  const view = await send(() => beginDraft(fresh, asRevision(text.value, highest + 1), ''))
  if (!view) return
  await refresh('drafts')
  await router.push({ name: 'draft', params: { id: view.id } })
}
</script>

<template>
  <main v-if="all" class="mx-auto max-w-[1400px] p-4 lg:p-6">
    <p>
      <RouterLink
        class="inline-flex min-h-11 items-center underline"
        :to="{ name: 'house', params: { sheet: 'procedures' } }"
        >Procedures</RouterLink
      >
    </p>
    <div class="flex flex-wrap items-start gap-4">
      <div>
        <h1 class="text-3xl">{{ about?.title ?? id }}</h1>
        <p class="mt-1 max-w-[80ch] text-ink-2">{{ about?.summary }}</p>
      </div>
      <button v-if="can('draft procedures')" class="btn btn-main ml-auto" :disabled="sending || !text" @click="change">
        {{ chosen && chosen.state !== 'in use' ? `Begin from revision ${chosen.revision} …` : 'Change it …' }}
      </button>
    </div>
    <AlertNote class="mt-3" :words="trouble" />
    <p v-for="d in open" :key="d.id" class="mt-3 border-l-4 border-brass bg-brass-wash px-3 py-2">
      A draft of it is being written by {{ d.by }}:
      <RouterLink class="font-semibold underline" :to="{ name: 'draft', params: { id: d.id } }">{{
        d.why || 'why is not said yet'
      }}</RouterLink>
    </p>
    <div class="mt-5 grid gap-6 lg:grid-cols-[360px_minmax(0,1fr)]">
      <section>
        <SectionTitle>Revisions</SectionTitle>
        <ul class="rows">
          <li v-for="r in all" :key="r.hash">
            <button
              class="block min-h-12 w-full py-2 pl-2 text-left hover:bg-brass-wash"
              :class="at === r.hash && 'border-l-4 border-brass bg-sheet'"
              :aria-pressed="at === r.hash"
              @click="at = r.hash"
            >
              <span class="flex justify-between gap-3 pr-2"
                ><b>Revision {{ r.revision }}</b
                ><span class="text-sm" :class="r.state === 'in use' && 'font-semibold text-petrol'">{{
                  mark[r.state]
                }}</span></span
              >
              <span class="block text-sm text-ink-2">{{ words(r) }}</span>
              <span v-if="r.why" class="block text-sm">{{ r.why }}</span>
            </button>
          </li>
        </ul>
      </section>
      <section v-if="chosen">
        <div class="flex flex-wrap items-end gap-3 border-b-2 border-ink pb-2">
          <h2 class="text-lg">Revision {{ chosen.revision }}</h2>
          <label class="ml-auto flex items-center gap-2">
            <span class="label !mb-0">compared with</span>
            <select v-model="against" name="against" class="field !w-auto">
              <option value="">nothing</option>
              <option v-for="r in all.filter((o) => o.hash !== at)" :key="r.hash" :value="r.hash">
                revision {{ r.revision }}, {{ r.state }}
              </option>
            </select>
          </label>
          <a class="btn" :href="`/api/revisions/${at}/instruction`" target="_blank">Print the work instruction</a>
        </div>
        <template v-if="lines">
          <p v-if="!lines.length" class="mt-3 text-ink-2">Nothing differs.</p>
          <LinesThatChange v-else class="mt-3" :lines="lines" label="What changed" />
        </template>
        <pre
          v-else
          tabindex="0"
          class="num mt-3 max-h-[75vh] overflow-auto border border-line bg-sheet p-3 text-sm whitespace-pre-wrap"
          aria-label="As it is written"
          >{{ text }}</pre>
      </section>
    </div>
  </main>
  <QueryState v-else :error="error" what="the procedure" @again="refetch()" />
</template>
