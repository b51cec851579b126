<script setup lang="ts">
import { ref } from 'vue'
import ActivityForm from './ActivityForm.vue'
import type { components } from '../api/schema.gen'
import { useSession } from '../composables/useSession'
import { dayWords } from '../composables/words'

/** What recurs on a device: how each stands, and what can become of it; what measures nothing is begun here. Nothing is dismissed. */
defineProps<{ activities: components['schemas']['ActivityView'][]; begins?: boolean; busy?: boolean }>()
const emit = defineEmits<{ begin: [procedure: string] }>()
type Kind = 'done' | 'failed' | 'defer' | 're-plan' | 'use'
type Activity = components['schemas']['ActivityView']
const { can } = useSession()
const changing = ref<{ activity: Activity; kind: Kind }>()
const marks: Record<string, { sign: string; tint: string }> = {
  valid: { sign: '●', tint: 'text-petrol' },
  never: { sign: '○', tint: 'text-ink-2' },
  expiring: { sign: '◐', tint: 'text-brass' },
  expired: { sign: '◆', tint: 'text-vermilion' },
  invalid: { sign: '◆', tint: 'text-vermilion' },
}
/** What may be done by whom: the same rules stand on the server. */
function choices(a: Activity) {
  const list: { kind: Kind; words: string }[] = []
  if (!a.procedure && can('note what was done'))
    list.push({ kind: 'done', words: 'Done' }, { kind: 'failed', words: 'Failed' })
  if (a.uses && can('count use')) list.push({ kind: 'use', words: 'Count' })
  if (a.due_on && can('put off')) list.push({ kind: 'defer', words: 'Defer' })
  if (a.due_on && can('re-plan')) list.push({ kind: 're-plan', words: 'Re-plan' })
  return list
}
</script>

<template>
  <ul class="rows">
    <li v-for="a in activities" :key="a.id" class="py-3" :data-activity="a.title">
      <span class="font-semibold">{{ a.title }}</span>
      <span
        class="block"
        :class="[marks[a.status]?.tint, (a.status === 'expired' || a.status === 'invalid') && 'font-semibold']"
        ><span aria-hidden="true">{{ marks[a.status]?.sign }}</span> {{ a.words }}</span
      >
      <span class="block text-sm text-ink-2"
        >{{ a.triggers }}<template v-if="a.last_on">; last on {{ dayWords(a.last_on) }}</template>
        <template v-if="a.uses && a.used !== undefined"
          >; <span class="num">{{ a.used }}</span> of <span class="num">{{ a.uses }}</span> {{ a.unit }}</template
        ><template v-if="a.left_days !== undefined">, about {{ a.left_days }} days left at this rate</template></span
      >
      <span v-if="a.interval" class="block text-sm text-ink-2">{{ a.interval }}</span>
      <span v-if="a.outside" class="block text-sm text-ink-2"
        >By the body entitled to it: recorded here, never issued.</span
      >
      <span class="mt-1 flex flex-wrap items-center gap-2">
        <button
          v-if="begins && a.procedure && a.maintains"
          class="min-h-11 border border-petrol px-3 text-sm font-semibold text-petrol hover:bg-petrol-wash"
          :disabled="busy"
          @click="emit('begin', a.procedure)"
        >
          Do it now
        </button>
        <RouterLink
          v-if="a.procedure && a.due_on && !a.maintains"
          class="inline-flex min-h-11 items-center border border-line px-3 text-sm hover:bg-brass-wash"
          :to="{ name: 'intervals', query: { activity: a.id } }"
          >How often …</RouterLink
        >
        <button
          v-for="c in choices(a)"
          :key="c.kind"
          class="min-h-11 border border-line px-3 text-sm hover:bg-brass-wash"
          @click="changing = { activity: a, kind: c.kind }"
        >
          {{ c.words }} …
        </button>
      </span>
    </li>
  </ul>
  <p v-if="!activities.length" class="py-3 text-ink-2">Nothing recurs on it.</p>
  <ActivityForm v-if="changing" :activity="changing.activity" :kind="changing.kind" @close="changing = undefined" />
</template>
