<script setup lang="ts">
import { computed } from 'vue'
import { useQuery } from '@tanstack/vue-query'
import { type Finding, type Run } from '../api/client'
import { queries } from '../api/queries'

/** How the points of a finding moved in earlier runs on this device, where that can be seen. */
const props = defineProps<{ run: Run; finding: Finding }>()
const { data } = useQuery(queries.asset(() => props.run.device.id))
const trends = computed(() => (data.value?.trends ?? []).filter((t) => props.finding.judges.includes(t.measure)))
</script>

<template>
  <ul v-if="trends.length" class="mt-3" aria-label="How it moved before">
    <li v-for="t in trends" :key="t.measure + t.point">
      <b>{{ t.label }}, before this run:</b> {{ t.words }}
    </li>
  </ul>
</template>
