<script setup lang="ts">
import { computed, ref } from 'vue'
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { answer, api, ApiError } from '../api/client'
import { newId } from '../composables/useRun'
import { useSession } from '../composables/useSession'
import { dayWords } from '../composables/words'

/** The year's work by month, as it stands and levelled within its windows. */
const cache = useQueryClient()
const { can } = useSession()
const { data } = useQuery({ queryKey: ['workload'], queryFn: () => answer(api.GET('/api/workload')) })
const top = computed(() => Math.max(1, data.value?.capacity ?? 0, ...(data.value?.hours ?? [])))
const trouble = ref('')
const name = (month: string) => dayWords(month + '-01', { month: 'short' })
async function level() {
  trouble.value = ''
  try {
    const v = await answer(api.POST('/api/workload', { body: { id: newId() } }))
    cache.setQueryData(['workload'], v)
    await cache.invalidateQueries({ queryKey: ['round'] })
  } catch (e) {
    trouble.value = e instanceof ApiError ? e.problem.detail : String(e)
  }
}
</script>

<template>
  <section v-if="data" class="mt-8">
    <div class="flex items-baseline gap-4 border-b-2 border-ink pb-1">
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
    <p v-if="trouble" class="mt-2 text-vermilion" role="alert">{{ trouble }}</p>
  </section>
</template>
