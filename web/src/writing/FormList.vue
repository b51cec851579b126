<script setup lang="ts">
import { computed } from 'vue'
import { fieldOf, type Path, type Value } from './procedureText'
import FormFields from './FormFields.vue'
import FormNode from './FormNode.vue'
import { fieldsOf, fresh, isTable, nameOf, resolved, type Shape } from './shape'
import { useWriting } from './useWriting'

/** A list in a procedure: a table where its items are short and alike, one below the other where they are not. */
const props = defineProps<{ path: Path; shape: Shape; label: string; hint: string }>()
const writing = useWriting()
const item = computed(() => resolved(props.shape).items!)
const definition = computed(() => resolved(item.value).name)
const items = computed<Value[]>(() => {
  const v = writing.at(props.path)
  return Array.isArray(v) ? v : []
})
const scalar = (name: string) => {
  const s = resolved(resolved(item.value).properties![name]!)
  return s.type !== 'object' && s.type !== 'array' && !s.properties
}
/** The columns: what any of the items has, or must have. What is no single value stands below its row. */
const columns = computed(() => {
  const all = new Set(items.value.flatMap((v) => fieldsOf(item.value, v).shown))
  return Object.keys(resolved(item.value).properties!).filter((n) => all.has(n) && scalar(n))
})
const below = (i: number) => fieldsOf(item.value, items.value[i]).shown.filter((n) => !scalar(n))
const table = computed(() => isTable(definition.value) && columns.value.length <= 6)
const more = (i: number) =>
  fieldsOf(item.value, items.value[i]).more.filter((n) => scalar(n) && !columns.value.includes(n))
const of = (name: string) => resolved(item.value).properties![name]!
function addField(event: Event) {
  const select = event.target as HTMLSelectElement
  const name = select.value
  const number = ['number', 'integer'].includes(of(name)?.type ?? '')
  if (name) writing.set([...props.path, 0, name], of(name).type === 'boolean' ? true : number ? 0 : '…')
  select.value = ''
}
const add = () => {
  const last = items.value.at(-1)
  const like =
    last && typeof last === 'object' && definition.value === 'Point' ? { ...last, label: 'another point' } : undefined
  if (like && 'id' in like) delete (like as { id?: Value }).id
  writing.add(props.path, like ?? fresh[definition.value ?? ''] ?? {})
}
</script>

<template>
  <fieldset :data-field="fieldOf(path)">
    <legend class="label">
      {{ label }}<span v-if="hint">: {{ hint }}</span>
    </legend>
    <p v-for="w in writing.wrongAt(path)" :key="w" class="text-sm text-vermilion">▲ {{ w }}</p>
    <div v-if="table" class="overflow-x-auto">
      <table class="w-full">
        <thead>
          <tr>
            <th v-for="c in columns" :key="c" class="label pr-2 text-left font-normal">{{ nameOf(c, definition) }}</th>
            <th><span class="sr-only">order</span></th>
          </tr>
        </thead>
        <tbody>
          <template v-for="(_, i) in items" :key="i">
            <tr :data-field="fieldOf([...path, i])">
              <td v-for="c in columns" :key="c" class="min-w-20 pr-2 pb-1 align-top">
                <FormNode
                  :path="[...path, i, c]"
                  :shape="of(c)"
                  :definition="definition"
                  :required="resolved(item).required?.includes(c)"
                  bare
                />
              </td>
              <td class="pb-1 align-top whitespace-nowrap">
                <button
                  type="button"
                  class="btn-small"
                  :disabled="i === 0"
                  :aria-label="`Row ${i + 1} up`"
                  @click="writing.move(path, i, i - 1)"
                >
                  ↑
                </button>
                <button
                  type="button"
                  class="btn-small ml-1"
                  :aria-label="`Take row ${i + 1} out`"
                  @click="writing.drop(path, i)"
                >
                  ×
                </button>
              </td>
            </tr>
            <tr v-if="below(i).length">
              <td :colspan="columns.length + 1" class="pb-3 pl-4">
                <FormNode
                  v-for="n in below(i)"
                  :key="n"
                  :path="[...path, i, n]"
                  :shape="of(n)"
                  :definition="definition"
                />
              </td>
            </tr>
          </template>
        </tbody>
      </table>
    </div>
    <template v-else>
      <div
        v-for="(_, i) in items"
        :key="i"
        class="mb-3 border-l-4 border-line pl-3"
        :data-field="fieldOf([...path, i])"
      >
        <div class="flex justify-end gap-1">
          <button
            type="button"
            class="btn-small"
            :disabled="i === 0"
            :aria-label="`${i + 1} up`"
            @click="writing.move(path, i, i - 1)"
          >
            ↑
          </button>
          <button type="button" class="btn-small" :aria-label="`Take ${i + 1} out`" @click="writing.drop(path, i)">
            ×
          </button>
        </div>
        <FormFields :path="[...path, i]" :shape="item" />
      </div>
    </template>
    <div class="flex flex-wrap items-center gap-3">
      <button type="button" class="btn btn-quiet" @click="add">Add one</button>
      <slot name="add" />
      <select
        v-if="table && items.length && more(0).length"
        class="field !w-auto text-ink-2"
        value=""
        :aria-label="`Add a column to ${label}`"
        @change="addField"
      >
        <option value="">Add a column …</option>
        <option v-for="f in more(0)" :key="f" :value="f">{{ nameOf(f, definition) }}</option>
      </select>
    </div>
  </fieldset>
</template>
