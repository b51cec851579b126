<script setup lang="ts">
import { toRef } from 'vue'
import BenchColumns from '../bench/BenchColumns.vue'
import QueryState from '../components/QueryState.vue'
import { provideRun } from '../bench/runHandle'
import { useRun } from '../composables/useRun'

const props = defineProps<{ id: string }>()
const handle = useRun(toRef(props, 'id'))
provideRun(handle)
const { run, query } = handle
</script>

<template>
  <BenchColumns v-if="run" :run="run" />
  <QueryState v-else :error="query.error.value" what="run" @again="query.refetch()" />
</template>
