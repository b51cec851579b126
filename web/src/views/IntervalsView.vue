<script setup lang="ts">
import { computed, watch } from 'vue'
import { useQuery } from '@tanstack/vue-query'
import { useRoute, useRouter } from 'vue-router'
import IntervalSheet from '../intervals/IntervalSheet.vue'
import QueryState from '../components/QueryState.vue'
import { counted } from '../composables/words'
import { queries } from '../api/queries'

/** How often: what is recommended for each model, or for one device's activity. */
const route = useRoute()
const router = useRouter()
const activity = computed(() => (typeof route.query.activity === 'string' ? route.query.activity : undefined))
const { data, error, refetch } = useQuery(queries.intervals())
const key = (b: { maker: string; model: string; procedure: string }) => `${b.maker}/${b.model}/${b.procedure}`
const at = computed(() => {
  if (activity.value) return undefined
  const all = data.value ?? []
  return all.find((b) => key(b) === route.query.of) ?? all.find((b) => b.changes) ?? all[0]
})
// The one shown stays the one shown, also once it needs no change any more.
watch(at, (b) => {
  if (b && !route.query.of) router.replace({ name: 'intervals', query: { of: key(b) } })
})
const query = computed(() =>
  at.value ? { maker: at.value.maker, model: at.value.model, procedure: at.value.procedure } : undefined,
)
const { data: view } = useQuery(queries.interval(query, activity))
</script>

<template>
  <main v-if="data" class="mx-auto grid max-w-[1400px] gap-6 p-4 sm:p-6 lg:grid-cols-[300px_minmax(0,1fr)]">
    <nav aria-label="Models">
      <h1 class="text-3xl">Intervals</h1>
      <p class="mt-1 text-sm text-ink-2">What the record says about how often; a person accepts it.</p>
      <ul class="rows mt-2 border-t-2 border-ink">
        <li v-for="b in data" :key="key(b)">
          <RouterLink
            class="block min-h-11 py-2 pl-2 hover:bg-brass-wash"
            :class="b === at && 'border-l-4 border-brass bg-sheet'"
            :to="{ name: 'intervals', query: { of: key(b) } }"
          >
            <span class="font-semibold">{{ b.maker }} {{ b.model }}</span>
            <span class="block text-sm text-ink-2">{{ b.title }}, {{ counted(b.devices, 'device') }}</span>
            <span class="block text-sm" :class="b.changes ? 'font-semibold text-brass' : 'text-petrol'">
              <template v-if="b.changes"
                >◐ <span class="num">{{ b.current }}</span> →
                <span class="num">{{ b.recommended }}</span> days</template
              >
              <template v-else>● {{ counted(b.current, 'day') }}, keep</template>
            </span>
          </RouterLink>
        </li>
      </ul>
    </nav>
    <IntervalSheet v-if="view" :view="view" :model="activity ? undefined : query" :activity="activity" />
  </main>
  <QueryState v-else :error="error" what="intervals" @again="refetch()" />
</template>
