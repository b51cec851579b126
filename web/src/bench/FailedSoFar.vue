<script setup lang="ts">
import { computed } from 'vue'
import type { Run, Step } from '../api/client'

/** What has failed in this run so far and is not judged yet: it is said at once, where one looks, whatever step is in hand. */
const props = defineProps<{ run: Run; step: Step }>()
defineEmits<{ look: [id: string] }>()
const failed = computed(() => {
  // What can be adjusted, and what is read on for the same finding, is judged together: it is said there.
  const later = props.run.findings.filter(
    (f) => f.closed === 0 && !f.controls?.length && !f.about && !f.judges.includes(props.step.id),
  )
  const open = new Set(later.flatMap((f) => f.judges))
  const points = props.run.measures
    .filter((m) => open.has(m.id) && m.id !== props.step.id)
    .flatMap((m) =>
      m.points
        .filter((p) => p.found && !p.found.pass && !p.gross_open)
        .map((p) => ({ id: m.id, what: `${m.title} ${p.label}`, words: p.found!.sentence, next: m.set_up?.[0] })),
    )
  const checks = props.run.steps
    .filter((s) => s.kind === 'check' && s.answer === 'not fine' && s.id !== props.step.id)
    .map((s) => ({ id: s.id, what: s.title, words: `${s.tests ? 'Failed' : 'Not fine'}: ${s.note}`, next: undefined }))
  return [...points, ...checks]
})
</script>

<template>
  <ul v-if="failed.length && step.kind !== 'finding'" class="mb-3" aria-label="Failed so far" role="status">
    <li
      v-for="f in failed"
      :key="f.id + f.what"
      class="mt-1 flex flex-wrap items-center gap-x-3 border-l-4 border-vermilion bg-vermilion-wash px-3 py-1.5"
    >
      <span class="grow"
        ><b>◆ {{ f.what }}.</b> {{ f.words }} <template v-if="f.next">{{ f.next }}</template> Mend it now and read
        again, or what follows is done in vain.</span
      >
      <button class="btn btn-small" @click="$emit('look', f.id)">Look at it</button>
    </li>
  </ul>
</template>
