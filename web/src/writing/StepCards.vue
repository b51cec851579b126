<script setup lang="ts">
import { computed } from 'vue'
import { counted, unitWords } from '../composables/words'
import FoldedCard from './FoldedCard.vue'
import FormFields from './FormFields.vue'
import PointPicker from './PointPicker.vue'
import type { Value } from './procedureText'
import { kindOf, shapeOf, stepKinds } from './shape'
import { useWriting } from './useWriting'

/** The steps of a procedure. */
const writing = useWriting()
const steps = computed(() => {
  const v = writing.at(['steps'])
  return (Array.isArray(v) ? v : []) as { [name: string]: Value }[]
})
const count = (v: Value | undefined) => (Array.isArray(v) ? v.length : 0)
function about(s: { [name: string]: Value }) {
  const kind = kindOf(s)
  const parts = [
    kind === 'measure' &&
      `${counted(count(s.points), 'point')}, ${String(s.tolerance)} ${unitWords(String(s.unit ?? ''))}`,
    kind === 'finding' && Array.isArray(s.judges) && s.judges.join(', '),
    kind === 'wait' && `${String(s.minutes)} min`,
    kind === 'record' && `${count(s.fields) + count(s.parts)} to note`,
    s.opens && `opens: ${String(s.opens)}`,
    Array.isArray(s.closes) && `closes: ${s.closes.join(', ')}`,
    s.when && `only where ${String(s.when)}`,
    s.optional && 'may be left out',
  ]
  return parts.filter(Boolean).join(' · ')
}
const titleOf = (s: { [name: string]: Value }) => String(s.title ?? s[kindOf(s) ?? ''] ?? 'a step of no kind')
function add(kind: string) {
  const fresh = { ...stepKinds[kind]!.fresh }
  const ids = steps.value.map((s) => s.id ?? s[kind])
  if (kind === 'measure' || kind === 'finding') {
    const name = String(fresh[kind])
    for (let n = 2; ids.includes(fresh[kind]!); n++) fresh[kind] = `${name}-${n}`
  }
  if (kind === 'finding') {
    const judged = steps.value.flatMap((s) => (Array.isArray(s.judges) ? s.judges : []))
    fresh.judges = steps.value
      .filter((s) => kindOf(s) === 'measure' && !judged.includes(s.measure!))
      .map((s) => s.measure!)
  }
  writing.open.value.add(`steps[${steps.value.length}]`)
  writing.add(['steps'], fresh)
}
</script>

<template>
  <ol class="grid gap-2">
    <FoldedCard
      v-for="(s, i) in steps"
      :key="i"
      list="steps"
      :index="i"
      :count="steps.length"
      :kind="stepKinds[kindOf(s) ?? '']?.words ?? '?'"
      :title="titleOf(s)"
      :about="about(s)"
    >
      <FormFields v-if="kindOf(s)" :path="['steps', i]" :shape="shapeOf(stepKinds[kindOf(s)!]!.shape)" />
      <PointPicker v-if="kindOf(s) === 'measure'" class="mt-3" :step="i" />
      <p v-if="!kindOf(s)">
        What kind of step it is is said by its first word, in the text: check, act, wait, ambient, record, measure or
        finding.
      </p>
    </FoldedCard>
  </ol>
  <div class="mt-3 flex flex-wrap items-center gap-2">
    <span class="label">Add a step:</span>
    <button
      v-for="(k, key) in stepKinds"
      :key="key"
      type="button"
      class="btn !min-h-11 !px-3"
      @click="add(String(key))"
    >
      {{ k.words }}
    </button>
  </div>
</template>
