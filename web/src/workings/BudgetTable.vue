<script setup lang="ts">
import type { Budget } from '../api/client'
import { significant } from '../composables/words'

/** A budget as a table: each term, what it adds, and its share. */
defineProps<{ budget: Budget; unit?: string }>()
const kinds: Record<string, string> = {
  normal: 'normal',
  rectangular: 'rectangular',
  triangular: 'triangular',
  'u-shaped': 'arcsine',
}
</script>

<template>
  <table class="w-full text-left">
    <thead class="border-b-2 border-ink text-sm text-ink-2">
      <tr>
        <th class="py-1 font-medium">Term</th>
        <th class="font-medium">Distribution</th>
        <th class="text-right font-medium">u</th>
        <th class="text-right font-medium">c · u</th>
        <th class="w-40 pl-4 font-medium">Share</th>
      </tr>
    </thead>
    <tbody class="rows">
      <tr v-for="(line, i) in budget.lines ?? []" :key="i">
        <td class="py-1.5 pr-2">{{ line.name }}</td>
        <td class="pr-2 text-sm text-ink-2">
          {{ kinds[line.distribution] ?? line.distribution
          }}<template v-if="line.dof">, {{ significant(line.dof, 3) }} dof</template>
        </td>
        <td class="num text-right">{{ significant(line.standard_uncertainty, 3) }}</td>
        <td class="num text-right">{{ significant(line.contribution, 3) }}</td>
        <td class="pl-4">
          <span class="flex items-center gap-2">
            <span class="block h-2.5 bg-petrol" :style="{ width: `${Math.max(1, line.share * 90)}px` }"></span>
            <span class="num text-sm">{{ Math.round(line.share * 100) }} %</span>
          </span>
        </td>
      </tr>
    </tbody>
    <tfoot class="border-t-2 border-ink">
      <tr>
        <td class="pt-2" colspan="5">
          u <span class="num">{{ significant(budget.combined, 3) }}</span>, k
          <span class="num">{{ significant(budget.k, 4) }}</span>
          <template v-if="budget.effective_dof && budget.effective_dof < 1000"
            >, effective degrees of freedom
            <span class="num">{{ significant(budget.effective_dof, 3) }}</span></template
          >:
          <b
            >U <span class="num">{{ significant(budget.expanded, 3) }}</span> {{ unit }}</b
          >
          for about {{ Number((budget.coverage * 100).toFixed(2)) }} %
        </td>
      </tr>
    </tfoot>
  </table>
</template>
