<script setup lang="ts">
import { computed } from 'vue'
import { fieldOf, type Path, type Value } from './procedureText'
import FormNode from './FormNode.vue'
import { resolved, type Shape } from './shape'
import { useWriting } from './useWriting'

/** What a procedure says by name: likely causes by what it looks like, what an instrument is driven to. */
const props = defineProps<{ path: Path; shape: Shape; label: string; hint: string }>()
const writing = useWriting()
const value = computed(() => {
  const v = writing.at(props.path)
  return v && typeof v === 'object' && !Array.isArray(v) ? v : {}
})
const of = computed<Shape>(() => (resolved(props.shape).additionalProperties as Shape) ?? { type: 'string' })
const empty = (): Value => {
  const s = resolved(of.value)
  return s.type === 'array' ? ['…'] : s.type === 'number' ? 0 : s.properties ? {} : '…'
}
function add() {
  let name = 'name'
  for (let n = 2; name in value.value; n++) name = `name-${n}`
  writing.set([...props.path, name], empty())
}
function rename(from: string, event: Event) {
  const to = (event.target as HTMLInputElement).value.trim()
  if (!to || to === from || to in value.value) return
  writing.set(props.path, Object.fromEntries(Object.entries(value.value).map(([k, v]) => [k === from ? to : k, v])))
}
function drop(name: string) {
  writing.set(Object.keys(value.value).length > 1 ? [...props.path, name] : props.path, undefined)
}
</script>

<template>
  <fieldset :data-field="fieldOf(path)">
    <legend class="label">
      {{ label }}<span v-if="hint">: {{ hint }}</span>
    </legend>
    <div
      v-for="(_, name) in value"
      :key="name"
      class="mb-2 grid grid-cols-[minmax(90px,1fr)_2fr_auto] items-start gap-2"
    >
      <input class="field" :value="name" :aria-label="`name in ${label}`" @change="rename(String(name), $event)" />
      <FormNode :path="[...path, String(name)]" :shape="of" bare required />
      <button type="button" class="btn-small" :aria-label="`Take ${name} out`" @click="drop(String(name))">×</button>
    </div>
    <p v-for="w in writing.wrongAt(path)" :key="w" class="text-sm text-vermilion">▲ {{ w }}</p>
    <button type="button" class="btn btn-quiet" @click="add">Add one</button>
  </fieldset>
</template>
