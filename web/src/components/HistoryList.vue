<script setup lang="ts">
import { ref } from 'vue'
import { useQuery } from '@tanstack/vue-query'
import type { components } from '../api/schema.gen'
import QueryState from './QueryState.vue'
import { localDay } from '../composables/words'
import { queries } from '../api/queries'

/** What happened to one record, as the log has it: what, when, by whom, and each field before and after. */
const props = defineProps<{
  of: 'device' | 'reference' | 'person' | 'house' | 'instrument'
  id: string
  title?: string
}>()
type Changed = components['schemas']['Changed']
const open = ref(false)
const { data, error, refetch } = useQuery(
  queries.history(
    () => props.of,
    () => props.id,
    open,
  ),
)
const words = (column: string) => column.replaceAll('_', ' ')
/** What a record keeps as a list or a table, in a line: "months 12, why rule"; empty parts left out. */
function line(value: unknown): string {
  if (Array.isArray(value)) return value.map(line).filter(Boolean).join('; ')
  if (value && typeof value === 'object')
    return Object.entries(value)
      .map(([k, v]) => [words(k).toLowerCase(), line(v)])
      .filter(([, v]) => v)
      .map((part) => part.join(' '))
      .join(', ')
  return value === null || value === false || value === '' || value === 0 ? '' : String(value)
}
function parsed(text: string): string {
  try {
    return line(JSON.parse(text)) || 'nothing'
  } catch {
    return text
  }
}
/** A value as it can be read: a time as a day, a table as a line, a long text cut. */
function short(kept: string) {
  const text = /^[[{]/.test(kept) ? parsed(kept) : kept
  if (/^\d{4}-\d\d-\d\d \d\d:\d\d/.test(text)) return localDay(text.replace(' ', 'T'))
  return text.length > 90 ? text.slice(0, 88) + ' …' : text || 'nothing'
}
/** The fields a person knows: no keys, no text made for searching, nothing that is empty in a new record. */
const shown = (changes: Changed[]) =>
  changes.filter(
    (c) => !/^(id|search|.*_id)$/.test(c.column) && (c.before || !['', '0', 'null', '{}'].includes(c.after)),
  )
const time = (at: string) => new Date(at).toLocaleTimeString('en-GB', { hour: '2-digit', minute: '2-digit' })
</script>

<template>
  <details class="mt-4" @toggle="open = ($event.target as HTMLDetailsElement).open">
    <summary class="min-h-11 cursor-pointer py-2 text-ink-2">{{ title ?? 'History: who changed what' }}</summary>
    <QueryState v-if="open && !data" what="history" :error="error" @again="refetch" />
    <p v-else-if="data && !data.length" class="py-2 text-ink-2">Nothing was changed yet.</p>
    <ul v-else class="rows text-sm">
      <li v-for="(h, i) in data" :key="i" class="py-2">
        <span class="font-semibold">{{ localDay(h.at) }} {{ time(h.at) }}</span> {{ h.what }}
        <span class="text-ink-2">by {{ h.by }}</span>
        <span v-if="h.why" class="block">{{ h.why }}</span>
        <ul v-if="h.changes.length" class="mt-1">
          <li v-for="c in shown(h.changes)" :key="c.column" class="break-words">
            <span class="text-ink-2">{{ words(c.column) }}:</span>
            <template v-if="c.before">
              <s class="ml-1 text-ink-2">{{ short(c.before) }}</s> →
            </template>
            {{ short(c.after) }}
          </li>
        </ul>
      </li>
    </ul>
  </details>
</template>
