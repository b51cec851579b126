<script setup lang="ts">
import { onMounted, onUpdated, ref } from 'vue'

/**
 * A table: its columns by their titles, and its rows as they are given; ruled where no title stands over it. On a phone
 * a row is a card, and each of its cells says its column's title; where it is wide, on a tablet too.
 */
export interface Column {
  title: string
  right?: boolean
  class?: string
  sort?: string
}
/** Where columns can be sorted by: which is, and whether the other way round. */
const props = defineProps<{
  columns: (string | Column)[]
  top?: boolean
  ruled?: boolean
  wide?: boolean
  sorted?: string
  desc?: boolean
}>()
const emit = defineEmits<{ sort: [by: string] }>()
const order = (c: Column) => (c.sort !== props.sorted ? undefined : props.desc ? 'descending' : 'ascending')
const column = (c: string | Column): Column => (typeof c === 'string' ? { title: c } : c)
const body = ref<HTMLElement>()
function name() {
  for (const row of body.value?.querySelectorAll('tr') ?? []) {
    let at = 0
    for (const cell of row.cells) {
      const { title } = column(props.columns[at] ?? '')
      if (title && cell.colSpan === 1) cell.dataset.column = title
      else delete cell.dataset.column
      at += cell.colSpan
    }
  }
}
onMounted(name)
onUpdated(name)
</script>

<template>
  <table
    :class="wide ? 'max-xl:stacked' : 'max-sm:stacked'"
    class="w-full text-left [&_:is(td,th):not(:last-child)]:pr-3"
  >
    <thead class="text-sm text-ink-2" :class="ruled && 'border-b-2 border-ink'">
      <tr>
        <th
          v-for="(c, i) in props.columns.map(column)"
          :key="i"
          class="py-1.5 font-medium"
          :class="[c.class, c.right && 'text-right']"
          :aria-sort="c.sort ? order(c) : undefined"
        >
          <button
            v-if="c.sort"
            type="button"
            class="inline-flex min-h-11 min-w-11 items-center font-medium underline-offset-4 hover:underline"
            :class="[order(c) && 'text-ink underline', c.right && 'justify-end']"
            @click="emit('sort', c.sort)"
          >
            {{ c.title }}<span v-if="order(c)" class="ml-1" aria-hidden="true">{{ desc ? '▾' : '▴' }}</span>
          </button>
          <template v-else>{{ c.title }}</template>
        </th>
      </tr>
    </thead>
    <tbody ref="body" class="rows" :class="top && 'align-top'">
      <slot />
    </tbody>
  </table>
</template>
