<script setup lang="ts">
/** A table: its columns by their titles, and its rows as they are given; ruled where no title stands over it. */
export interface Column {
  title: string
  right?: boolean
  class?: string
}
const props = defineProps<{ columns: (string | Column)[]; top?: boolean; ruled?: boolean }>()
const column = (c: string | Column): Column => (typeof c === 'string' ? { title: c } : c)
</script>

<template>
  <table class="w-full text-left">
    <thead class="text-sm text-ink-2" :class="ruled && 'border-b-2 border-ink'">
      <tr>
        <th
          v-for="(c, i) in props.columns.map(column)"
          :key="i"
          class="py-1.5 font-medium"
          :class="[c.class, c.right && 'text-right']"
        >
          {{ c.title }}
        </th>
      </tr>
    </thead>
    <tbody class="rows" :class="top && 'align-top'">
      <slot />
    </tbody>
  </table>
</template>
