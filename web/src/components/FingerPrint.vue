<script setup lang="ts">
import { computed } from 'vue'
import NeedleMark from './NeedleMark.vue'
import type { Zone } from '../api/client'

/** A device's points side by side: all leaning alike is an offset, leaning more and more a gain. */
interface Needle {
  label: string
  zone: Zone
  error_to_limit: number
  u_to_limit: number
  phase: string
}
const props = defineProps<{ needles: Needle[] | null }>()
const pairs = computed(() => {
  const by = new Map<string, { label: string; found?: Needle; left?: Needle }>()
  for (const n of props.needles ?? []) {
    const pair = by.get(n.label) ?? { label: n.label }
    if (n.phase === 'as left') pair.left = n
    else pair.found = n
    by.set(n.label, pair)
  }
  return [...by.values()]
})
</script>

<template>
  <div class="flex flex-wrap items-end">
    <span v-for="p in pairs" :key="p.label" :title="p.label">
      <NeedleMark
        :found="p.found"
        :left="p.left"
        :width="36"
        :label="`${p.label}: error ${Math.round(((p.left ?? p.found)?.error_to_limit ?? 0) * 100)} % of the limit`"
      />
    </span>
  </div>
</template>
