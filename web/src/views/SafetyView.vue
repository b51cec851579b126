<script setup lang="ts">
import { computed, ref } from 'vue'
import { useQuery } from '@tanstack/vue-query'
import AlertNote from '../components/AlertNote.vue'
import AskDialog from '../components/AskDialog.vue'
import QueryState from '../components/QueryState.vue'
import SafetyDevices from '../safety/SafetyDevices.vue'
import SafetyForm from '../safety/SafetyForm.vue'
import { api } from '../api/client'
import { queries, useCached } from '../api/queries'
import { useSend } from '../composables/useSend'
import { useSession } from '../composables/useSession'
import { dayWords, localDay } from '../composables/words'

/** Safety notices of makers and authorities, and what became of each of our devices under them. */
const props = defineProps<{ id?: string }>()
const { can } = useSession()
const { keep, refresh } = useCached()
const { data, error, refetch } = useQuery(queries.safetyNotices())
const at = computed(() => props.id ?? data.value?.[0]?.id)
const { data: one } = useQuery(queries.safetyNotice(at))
const entering = ref(false)
const concluding = ref(false)
const { trouble, send } = useSend()
async function close(conclusion: string) {
  concluding.value = false
  const params = { path: { id: at.value! } }
  const view = await send(() => api.POST('/api/safety/{id}/close', { params, body: { conclusion } }))
  if (!view) return
  keep('safetyNotice', view, view.id)
  await refresh('safetyNotices')
}
const about = computed(() => {
  const n = one.value
  if (!n) return ''
  return [
    n.maker,
    n.models.join(', ') || 'every model',
    n.serials && `serial numbers ${n.serials}`,
    n.versions && `software ${n.versions}`,
  ]
    .filter(Boolean)
    .join('; ')
})
const day = (t?: string) => (t ? dayWords(t.slice(0, 10)) : '')
</script>

<template>
  <main v-if="data" class="mx-auto grid max-w-[1400px] gap-6 p-4 sm:p-6 lg:grid-cols-[280px_minmax(0,1fr)]">
    <nav aria-label="Safety notices">
      <h1 class="text-3xl">Safety notices</h1>
      <RouterLink class="inline-flex min-h-11 items-center underline" :to="{ name: 'look-back' }">Look-back</RouterLink>
      <ul class="rows mt-1 border-t-2 border-ink">
        <li v-for="n in data" :key="n.id">
          <RouterLink
            class="block min-h-11 py-2 pl-2 hover:bg-brass-wash"
            :class="n.id === at && 'border-l-4 border-brass bg-sheet'"
            :to="{ name: 'safety', params: { id: n.id } }"
          >
            <span class="font-semibold">{{ n.title }}</span>
            <span class="flex justify-between gap-2 pr-2 text-sm text-ink-2"
              ><span class="num">{{ n.number }}</span>
              <span :class="{ 'font-semibold text-brass': n.open }">{{
                n.closed ? 'closed' : n.open ? `${n.open} open` : 'ready to close'
              }}</span></span
            >
          </RouterLink>
        </li>
      </ul>
      <p v-if="!data.length" class="mt-3 text-ink-2">None was entered yet.</p>
      <button v-if="can('keep safety notices')" class="btn mt-4" @click="entering = true">Enter one …</button>
    </nav>
    <section v-if="one" :aria-label="one.title">
      <h2 class="text-2xl">{{ one.title }}</h2>
      <p class="mt-1 text-ink-2">
        <b class="num text-ink">{{ one.number }}</b> of {{ one.issuer }}, {{ day(one.dated) }}; entered by
        {{ one.by }} on
        {{ localDay(one.at) }}
      </p>
      <dl class="mt-3 grid sm:grid-cols-[130px_1fr] gap-y-1 border-l-4 border-brass bg-brass-wash px-4 py-3">
        <dt class="text-ink-2">Our devices</dt>
        <dd>
          <b class="num">{{ one.devices }}</b> of ours, <b class="num">{{ one.open }}</b> of them open
        </dd>
        <dt class="text-ink-2">To be done by</dt>
        <dd class="font-semibold">{{ day(one.until) || 'no day is given' }}</dd>
        <dt class="text-ink-2">Until then</dt>
        <dd>{{ one.stops ? '◆ not to be used' : '◐ in use, and due' }}</dd>
        <dt class="text-ink-2">About</dt>
        <dd>{{ about }}</dd>
      </dl>
      <p class="mt-4 max-w-[80ch] whitespace-pre-line">{{ one.text }}</p>
      <div class="mt-5 mb-2 flex flex-wrap items-center gap-4">
        <h3 class="text-lg">Our devices</h3>
        <a class="btn ml-auto" :href="`/api/safety/${one.id}/paper`" target="_blank">Print it</a>
      </div>
      <SafetyDevices :notice="one" />
      <p v-if="one.closed" class="mt-5 border-l-4 border-petrol bg-petrol-wash px-4 py-2">
        Closed on {{ localDay(one.closed) }} by {{ one.closed_by }}: {{ one.conclusion }}
      </p>
      <template v-else-if="can('keep safety notices')">
        <AlertNote class="mt-3" :words="trouble" />
        <button class="btn btn-main mt-5" @click="concluding = true">Close it …</button>
      </template>
    </section>
    <SafetyForm v-if="entering" @close="entering = false" />
    <AskDialog
      v-if="concluding"
      title="Close this notice"
      hint="Every device is settled. What came of it stays in the record."
      label="Conclusion"
      action="Close it"
      @done="close"
      @close="concluding = false"
    />
  </main>
  <QueryState v-else :error="error" what="safety notices" @again="refetch()" />
</template>
