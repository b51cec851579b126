<script setup lang="ts">
import { computed, ref } from 'vue'
import { numberIn, unitWords } from '../composables/words'
import type { Value } from './procedureText'
import FormList from './FormList.vue'
import { resolved, shapeOf } from './shape'
import { useWriting } from './useWriting'

/** The points of a measure: typed, spread over a range, or the certified value of what fills a role. */
const props = defineProps<{ step: number }>()
const writing = useWriting()
const path = computed(() => ['steps', props.step, 'points'])
const shape = computed(() => resolved(shapeOf('Measure')).properties!.points!)
const measure = computed(() => (writing.at(['steps', props.step]) ?? {}) as { [name: string]: Value })
const unit = computed(() => unitWords(String(measure.value.unit ?? '')))
const roles = computed(() => {
  const v = writing.at(['roles'])
  return (Array.isArray(v) ? v : []) as { [name: string]: Value }[]
})
/** What the roles are certified for, as a point names it. */
const certified = computed(() =>
  roles.value.flatMap((r) =>
    (Array.isArray(r.needs) ? r.needs : []).map((n) => ({
      at: `${String(r.role)}.${String((n as { [name: string]: Value }).quantity)}`,
      words: `${String(r.title ?? r.role)}, ${String((n as { [name: string]: Value }).quantity)}`,
    })),
  ),
)
const range = computed(() => {
  const role = roles.value.find((r) => r.role === measure.value.role)
  const needs = (Array.isArray(role?.needs) ? role.needs : []) as { [name: string]: Value }[]
  return needs.find((n) => n.quantity === measure.value.quantity && n.unit === measure.value.unit)
})
const from = ref('')
const to = ref('')
const many = ref('3')
const number = (text: string, otherwise: Value | undefined) => numberIn(text || String(otherwise ?? ''))
const spread = computed(() => {
  const [a, b, n] = [
    number(from.value, range.value?.from),
    number(to.value, range.value?.to),
    Math.round(Number(many.value)),
  ]
  if (!Number.isFinite(a) || !Number.isFinite(b) || !(n >= 2 && n <= 50) || a === b) return []
  return Array.from({ length: n }, (_, i) => String(Number((a + ((b - a) * i) / (n - 1)).toPrecision(6))))
})
function add() {
  const present = writing.at(path.value)
  const points = spread.value.map((at) => ({ label: `${at} ${unit.value}`, at }))
  writing.set(path.value, [...(Array.isArray(present) ? present : []), ...points])
}
function pick(event: Event) {
  const select = event.target as HTMLSelectElement
  const one = certified.value.find((c) => c.at === select.value)
  select.value = ''
  if (one) writing.add(path.value, { label: one.words, at: one.at })
}
</script>

<template>
  <div>
    <FormList
      :path="path"
      :shape="shape"
      label="points"
      :hint="`at a number in ${unit || 'its unit'}, or at what a reference is certified for`"
    >
      <template #add>
        <select
          v-if="certified.length"
          class="field !w-auto max-w-full"
          value=""
          aria-label="Add a certified value"
          @change="pick"
        >
          <option value="">Add a certified value …</option>
          <option v-for="c in certified" :key="c.at" :value="c.at">{{ c.words }}</option>
        </select>
      </template>
    </FormList>
    <div class="mt-1 flex flex-wrap items-end gap-2">
      <label class="w-24"
        ><span class="label">from</span
        ><input v-model="from" class="field num" inputmode="decimal" :placeholder="String(range?.from ?? '')"
      /></label>
      <label class="w-24"
        ><span class="label">to</span
        ><input v-model="to" class="field num" inputmode="decimal" :placeholder="String(range?.to ?? '')"
      /></label>
      <label class="w-20"
        ><span class="label">how many</span><input v-model="many" class="field num" inputmode="numeric"
      /></label>
      <button type="button" class="btn" :disabled="!spread.length" @click="add">Spread points</button>
      <span class="num self-center text-sm text-ink-2">{{ spread.join(' · ') }}</span>
    </div>
  </div>
</template>
