<script setup lang="ts">
import { computed } from 'vue'
import { useQuery } from '@tanstack/vue-query'
import LiveTrace from './LiveTrace.vue'
import { queries } from '../api/queries'

/** The stretch of trace that a reading was taken from, as it was kept with it. */
const props = defineProps<{ run: string; reading: string; low?: number; high?: number; reference?: number }>()
const { data, error } = useQuery(
  queries.trace(
    () => props.run,
    () => props.reading,
  ),
)
const trace = computed(() => ({ t: (data.value ?? []).map((s) => s.t), v: (data.value ?? []).map((s) => s.v) }))
const seconds = computed(() => Math.max(1, (trace.value.t.at(-1) ?? 1) - (trace.value.t[0] ?? 0)))
</script>

<template>
  <div v-if="trace.t.length" class="col-span-2 h-36">
    <LiveTrace
      :trace="trace"
      :seconds="seconds"
      :low="low"
      :high="high"
      :reference="reference"
      :label="`The trace of ${Math.round(seconds)} s that the reading was taken from`"
    />
    <p class="text-right text-xs text-ink-2">{{ Math.round(seconds) }} s</p>
  </div>
  <p v-else-if="data || error" class="col-span-2 text-sm text-ink-2">No trace was kept with it.</p>
</template>
