<script setup lang="ts">
import RiskMark from './RiskMark.vue'
import StateMark from './StateMark.vue'
import type { components } from '../api/schema.gen'
import { dueWords, familyWords } from '../composables/words'

/** One due activity: what, where, since when, and the way to begin. */
defineProps<{ due: components['schemas']['DueView']; starting: boolean; mayStart: boolean }>()
defineEmits<{ start: [] }>()
</script>

<template>
  <li class="flex flex-wrap items-center gap-x-4 gap-y-1 py-2 sm:flex-nowrap">
    <RouterLink :to="{ name: 'device', params: { id: due.tag } }" class="num w-24 shrink-0 font-medium underline">
      {{ due.tag }}
    </RouterLink>
    <span class="min-w-0 grow max-sm:order-1 max-sm:basis-3/5">
      <span class="block"
        >{{ due.device }} <span class="text-ink-2">· {{ due.title }}</span></span
      >
      <span class="block text-sm text-ink-2">
        {{ due.place }}, {{ due.site
        }}<template v-if="due.stop || due.state === 'in doubt'"> · <StateMark :stands="due" /></template>
      </span>
    </span>
    <span class="shrink-0 text-right max-sm:ml-auto sm:w-32" :class="due.days < 0 && 'font-semibold text-vermilion'">
      {{ dueWords(due.days) }}
    </span>
    <RiskMark :risk="due.risk" class="shrink-0" />
    <span class="shrink-0 text-right max-sm:order-2 sm:w-28">
      <RouterLink v-if="due.run" class="btn" :to="{ name: 'run', params: { id: due.run } }">Resume</RouterLink>
      <button v-else-if="due.procedure && mayStart" class="btn" :disabled="starting" @click="$emit('start')">
        Start
      </button>
      <span
        v-else-if="!due.procedure"
        class="text-sm text-ink-2"
        :title="`A ${familyWords(due.family)} has no procedure yet`"
      >
        by hand
      </span>
    </span>
  </li>
</template>
