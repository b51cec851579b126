<script setup lang="ts">
import { computed } from 'vue'
import { useQuery } from '@tanstack/vue-query'
import { api } from '../api/client'
import { newId } from '../composables/useRun'
import { useSession } from '../composables/useSession'
import { dayWords } from '../composables/words'
import AlertNote from '../components/AlertNote.vue'
import { queries, useCached } from '../api/queries'
import { useSend } from '../composables/useSend'

/** The year's work by month, as it stands and levelled within its windows. */
const { refresh, keep } = useCached()
const { can } = useSession()
const { data } = useQuery(queries.workload())
const top = computed(() => Math.max(1, data.value?.capacity ?? 0, ...(data.value?.hours ?? [])))
const { trouble, send } = useSend()
const name = (month: string) => dayWords(month + '-01', { month: 'short' })
async function level() {
  const body = { id: newId() }
  const year = await send(() => api.POST('/api/workload', { body }))
  if (!year) return
  keep('workload', year)
  await refresh('round')
}
</script>

<template>
  <section v-if="data" class="mt-8">
    <div class="flex flex-wrap items-baseline gap-4 border-b-2 border-ink pb-1">
      <h2 class="text-lg">The year ahead</h2>
      <span class="text-sm text-ink-2"
        >hours of hands a month; open bars as it stands, solid levelled; the line is the capacity of
        <span class="num">{{ data.capacity }}</span> h</span
      >
      <button v-if="data.moves && can('level the year')" class="btn ml-auto" @click="level">
        Bring {{ data.moves }} forward
      </button>
    </div>
    <div class="relative mt-3 flex h-36 items-end gap-3">
      <div
        class="absolute inset-x-0 border-t border-dashed border-vermilion"
        :style="{ bottom: `${20 + (data.capacity / top) * 100}px` }"
        aria-hidden="true"
      ></div>
      <div v-for="(m, i) in data.months" :key="m" class="flex grow flex-col items-center">
        <span class="num text-xs">{{ Math.round(data.levelled[i]!) }}</span>
        <div class="flex w-full items-end justify-center gap-1" style="height: 100px">
          <div class="w-1/3 border border-ink" :style="{ height: `${(data.hours[i]! / top) * 100}px` }"></div>
          <div class="w-1/3 bg-ink" :style="{ height: `${(data.levelled[i]! / top) * 100}px` }"></div>
        </div>
        <span class="text-sm text-ink-2">{{ name(m) }}</span>
      </div>
    </div>
    <AlertNote class="mt-2" :words="trouble" />
  </section>
</template>
