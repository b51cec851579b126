<script setup lang="ts">
import { computed } from 'vue'
import type { Path, Value } from './procedureText'
import FormNode from './FormNode.vue'
import { fieldsOf, fresh, nameOf, resolved, type Shape } from './shape'
import { useWriting } from './useWriting'

/** The fields of a part of a procedure: those that it has or usually has, and a way to add the others. */
const props = defineProps<{ path: Path; shape: Shape; leave?: string[] }>()
const writing = useWriting()
const is = computed(() => resolved(props.shape))
const fields = computed(() => fieldsOf(props.shape, writing.at(props.path)))
const shown = computed(() => fields.value.shown.filter((f) => !props.leave?.includes(f)))
const of = (name: string) => is.value.properties![name]!
const wide = (name: string) => {
  const s = resolved(of(name))
  return (
    s.type === 'object' ||
    s.type === 'array' ||
    !!s.properties ||
    ['do', 'summary', 'title', 'act', 'check', 'when'].includes(name)
  )
}
/** What a field begins as when it is added. */
function begun(name: string): Value {
  const s = resolved(of(name))
  if (s.enum) return s.enum[0]!
  if (s.type === 'boolean') return true
  if (s.type === 'number' || s.type === 'integer') return 0
  if (s.type === 'array') {
    const item = s.items && resolved(s.items)
    return item?.properties ? [fresh[item.name ?? ''] ?? {}] : ['…']
  }
  if (s.properties)
    return Object.fromEntries((s.required ?? []).map((f) => [f, resolved(s.properties![f]!).enum?.[0] ?? 0]))
  if (s.type === 'object')
    return { name: resolved((s.additionalProperties as Shape) ?? {}).type === 'array' ? ['…'] : 0 }
  return '…'
}
function add(event: Event) {
  const select = event.target as HTMLSelectElement
  if (select.value) writing.set([...props.path, select.value], begun(select.value))
  select.value = ''
}
</script>

<template>
  <div class="grid gap-x-4 gap-y-3 sm:grid-cols-2">
    <div v-for="f in shown" :key="f" :class="wide(f) && 'sm:col-span-2'">
      <FormNode
        :path="[...path, f]"
        :shape="of(f)"
        :definition="fields.definition"
        :required="is.required?.includes(f)"
      />
    </div>
    <label v-if="fields.more.length" class="block">
      <span class="label">more</span>
      <select class="field text-ink-2" value="" @change="add">
        <option value="">Add …</option>
        <option v-for="f in fields.more" :key="f" :value="f">{{ nameOf(f, fields.definition) }}</option>
      </select>
    </label>
  </div>
</template>
