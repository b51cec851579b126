<script setup lang="ts">
import { watch } from 'vue'
import { useRouter } from 'vue-router'
import { useBenchState } from '../composables/useBenchState'
import SectionTitle from '../components/SectionTitle.vue'

/** The bench without a run chosen: goes to the first one of the technician's own, or says how to begin. */
const router = useRouter()
const { data } = useBenchState()
watch(
  data,
  (state) => {
    const first = state?.dock.find((r) => r.mine)
    if (first) router.replace({ name: 'run', params: { id: first.id } })
  },
  { immediate: true },
)
</script>

<template>
  <main v-if="data" class="mx-auto max-w-2xl p-8">
    <h1 class="text-3xl">The bench is clear</h1>
    <p class="mt-3 text-lg">
      You have no run in progress. Scan or type a tag in the search field, or start one from Today.
    </p>
    <RouterLink class="btn btn-main mt-5" to="/">Go to Today</RouterLink>
    <template v-if="data.dock.length">
      <SectionTitle class="mt-8">In progress by others</SectionTitle>
      <ul class="rows">
        <li v-for="r in data.dock" :key="r.id">
          <RouterLink class="block min-h-11 py-2 hover:bg-brass-wash" :to="{ name: 'run', params: { id: r.id } }">
            <span class="num font-medium">{{ r.tag }}</span> {{ r.device }}
            <span class="text-ink-2">· {{ r.by }} · {{ r.now }}</span>
          </RouterLink>
        </li>
      </ul>
    </template>
    <SectionTitle class="mt-8">Instruments</SectionTitle>
    <ul class="rows">
      <li v-for="l in data.links" :key="l.kind" class="py-2">
        <span :class="l.state === 'alive' ? 'text-petrol' : 'text-vermilion'">{{
          l.state === 'alive' ? '●' : '◆'
        }}</span>
        {{ l.words }}
      </li>
    </ul>
  </main>
</template>
