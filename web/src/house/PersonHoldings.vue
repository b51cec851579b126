<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { queries } from '../api/queries'
import { useSession } from '../composables/useSession'

/** What somebody still has in hand, with the page on which it is handed on. */
const props = defineProps<{ id: string; name: string }>()
const { can } = useSession()
const { data } = useQuery(queries.holdings(() => props.id))
</script>

<template>
  <div v-if="data?.length" class="border-l-4 border-warn bg-brass-wash px-3 py-2">
    <b>{{ name }} still has in hand:</b>
    <ul>
      <li v-for="h in data" :key="h.words">
        <RouterLink v-if="h.to && can('look')" :to="h.to" class="inline-flex min-h-11 items-center underline">{{
          h.words
        }}</RouterLink>
        <template v-else>{{ h.words }}</template>
      </li>
    </ul>
    <p class="text-sm text-ink-2">It waits until somebody else takes it over; nothing of it ends by itself.</p>
  </div>
</template>
