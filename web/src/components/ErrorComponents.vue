<script setup lang="ts">
import type { ErrorComponents } from '../api/client'
import { significant } from '../composables/words'

/** What the errors are made of: each part with its size, and whether it stands out. */
defineProps<{ components: ErrorComponents; unit?: string }>()
const words: Record<string, string> = {
  offset: 'Offset',
  gain: 'Gain',
  bent: 'Not a line',
  hysteresis: 'Up and down differ',
  scatter: 'Scatter',
}
</script>

<template>
  <table v-if="components.parts.length" class="w-full max-w-2xl text-left">
    <caption class="sr-only">
      What the errors are made of
    </caption>
    <thead class="text-sm text-ink-2">
      <tr>
        <th class="py-1 font-medium">Part</th>
        <th class="text-right font-medium">At most</th>
        <th class="w-48 pl-4 font-medium">Of the limit</th>
        <th class="font-medium">Against its uncertainty</th>
      </tr>
    </thead>
    <tbody class="rows">
      <tr v-for="p in components.parts" :key="p.shape" :class="!p.significant && 'text-ink-2'">
        <td class="py-1" :class="p.significant && 'font-semibold'">{{ words[p.shape] ?? p.shape }}</td>
        <td class="num text-right">{{ p.share < 0.005 ? '–' : `${significant(p.size, 3)} ${unit ?? ''}` }}</td>
        <td class="pl-4">
          <span class="flex items-center gap-2">
            <span
              class="block h-2.5"
              :class="p.significant ? (p.share > 1 ? 'bg-vermilion' : 'bg-petrol') : 'hatched border border-ink-2'"
              :style="{ width: `${Math.max(2, Math.min(1.2, p.share) * 80)}px` }"
            ></span>
            <span class="num text-sm">{{ Math.round(p.share * 100) }} %</span>
          </span>
        </td>
        <td>{{ p.significant ? 'stands out' : 'does not stand out' }}</td>
      </tr>
    </tbody>
  </table>
</template>
