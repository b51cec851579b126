<script setup lang="ts">
import { computed } from 'vue'
import { useQuery } from '@tanstack/vue-query'
import { queries } from '../api/queries'
import { unitWords } from '../composables/words'
import FoldedCard from './FoldedCard.vue'
import FormFields from './FormFields.vue'
import type { Value } from './procedureText'
import { fresh, shapeOf } from './shape'
import { useWriting } from './useWriting'

/** The references that a procedure asks for; one of our own can be picked, and is described by what it is certified for. */
const writing = useWriting()
const { data: ours } = useQuery(queries.standards())
const roles = computed(() => {
  const v = writing.at(['roles'])
  return (Array.isArray(v) ? v : []) as { [name: string]: Value }[]
})
const about = (r: { [name: string]: Value }) =>
  (Array.isArray(r.needs) ? r.needs : [])
    .map((n) => {
      const need = n as { [name: string]: Value }
      return `${String(need.quantity)} ${String(need.from)} to ${String(need.to)} ${unitWords(String(need.unit ?? ''))}`
    })
    .join('; ')
function add(role: { [name: string]: Value }) {
  const taken = roles.value.map((r) => r.role)
  let id = String(role.role)
  for (let n = 2; taken.includes(id); n++) id = `${String(role.role)}-${n}`
  writing.add(['roles'], { ...role, role: id })
  writing.open.value.add(`roles[${roles.value.length}]`)
}
function pick(event: Event) {
  const select = event.target as HTMLSelectElement
  const s = ours.value?.find((one) => one.id === select.value)
  select.value = ''
  if (!s) return
  const quantities = [...new Set(s.values.map((v) => v.quantity))]
  add({
    role: s.kind,
    title: s.name,
    kind: s.kind,
    needs: quantities.map((quantity) => {
      const of = s.values.filter((v) => v.quantity === quantity)
      const ends = of.flatMap((v) => (v.from || v.to ? [v.from ?? 0, v.to ?? 0] : [v.value ?? 0]))
      return { quantity, from: Math.min(...ends), to: Math.max(...ends), unit: of[0]!.unit }
    }),
  })
}
</script>

<template>
  <ul class="grid gap-2">
    <FoldedCard
      v-for="(r, i) in roles"
      :key="i"
      list="roles"
      :index="i"
      :count="roles.length"
      :kind="r.optional ? 'if there' : 'needed'"
      :title="String(r.title ?? r.role ?? '')"
      :about="about(r)"
    >
      <FormFields :path="['roles', i]" :shape="shapeOf('Role')" />
    </FoldedCard>
  </ul>
  <div class="mt-2 flex flex-wrap items-center gap-3">
    <select class="field !w-auto max-w-full" value="" aria-label="Pick one of ours" @change="pick">
      <option value="">Pick one of ours …</option>
      <option v-for="s in ours ?? []" :key="s.id" :value="s.id">{{ s.tag }} · {{ s.name }}</option>
    </select>
    <button type="button" class="btn btn-quiet" @click="add(fresh.Role as { [name: string]: Value })">
      Describe one
    </button>
  </div>
</template>
