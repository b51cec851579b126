<script setup lang="ts">
import { computed } from 'vue'
import { fieldOf, type Path, type Value } from './procedureText'
import { numberIn } from '../composables/words'
import FormList from './FormList.vue'
import FormMap from './FormMap.vue'
import FormPart from './FormPart.vue'
import { hintOf, nameOf, picksOf, resolved, type Shape } from './shape'
import { useWriting } from './useWriting'

/** One field of a procedure: what it is called, a way to enter it that fits its kind, and what is wrong with it. */
const props = defineProps<{ path: Path; shape: Shape; definition?: string; bare?: boolean; required?: boolean }>()
const writing = useWriting()
const name = computed(() => String(props.path[props.path.length - 1]))
const is = computed(() => resolved(props.shape))
const value = computed(() => writing.at(props.path))
const wrong = computed(() => writing.wrongAt(props.path))
const field = computed(() => fieldOf(props.path))
const hint = computed(() => (name.value === 'id' && props.required ? '' : hintOf(props.shape, name.value)))
const label = computed(() => nameOf(name.value, props.definition))
const picks = computed(() => picksOf(props.definition, name.value, writing.said.value ?? {}, writing.known.value))
const way = computed(() => {
  const s = is.value
  if (s.properties) return 'part'
  if (s.type === 'object') return 'map'
  if (s.type === 'array' && s.items && (resolved(s.items).properties || s.items.oneOf || s.items.anyOf)) return 'list'
  if (s.type === 'array' || s.oneOf) return picks.value?.closed ? 'ticks' : 'lines'
  if (s.type === 'boolean') return 'tick'
  if (s.enum) return 'choice'
  if (s.type === 'number' || s.type === 'integer') return 'number'
  if (picks.value?.closed) return 'choice'
  return long.includes(name.value) ? 'words' : 'text'
})
/** What is written in sentences. */
const long = ['do', 'summary', 'caution', 'symptom', 'why', 'words', 'act', 'check']
const choices = computed(() => is.value.enum?.map((n) => ({ name: n, words: '' })) ?? picks.value?.picks ?? [])
const list = computed(() =>
  Array.isArray(value.value) ? value.value.map(String) : value.value ? [String(value.value)] : [],
)
const shown = computed(() => (value.value === undefined || value.value === null ? '' : String(value.value)))
const set = (to: Value | undefined) => writing.set(props.path, to)
function typed(event: Event) {
  const text = (event.target as HTMLInputElement).value.trim()
  if (text === '' && !props.required) return set(undefined)
  if (way.value !== 'number') return set(text)
  const figure = numberIn(text)
  set(text !== '' && Number.isFinite(figure) ? figure : text)
}
function lines(event: Event) {
  const all = (event.target as HTMLTextAreaElement).value.split('\n').map((l) => l.trim())
  const said = all.filter(Boolean)
  set(said.length ? said : undefined)
}
function tick(name: string, on: boolean) {
  const next = on ? [...list.value, name] : list.value.filter((n) => n !== name)
  set(next.length || props.required ? next : undefined)
}
const checked = (event: Event) => (event.target as HTMLInputElement).checked
</script>

<template>
  <FormPart v-if="way === 'part'" :path="path" :shape="shape" :label="label" :hint="hint" />
  <FormMap v-else-if="way === 'map'" :path="path" :shape="shape" :label="label" :hint="hint" />
  <FormList v-else-if="way === 'list'" :path="path" :shape="shape" :label="label" :hint="hint" />
  <fieldset v-else-if="way === 'ticks'" :data-field="field">
    <legend class="label">{{ label }}</legend>
    <div class="flex flex-wrap gap-x-5">
      <label v-for="p in choices" :key="p.name" class="flex min-h-11 items-center gap-2">
        <input
          type="checkbox"
          class="size-5"
          :checked="list.includes(p.name)"
          @change="tick(p.name, checked($event))"
        />
        {{ p.words || p.name }}
      </label>
      <label
        v-for="n in list.filter((n) => !choices.some((p) => p.name === n))"
        :key="n"
        class="flex min-h-11 items-center gap-2"
      >
        <input type="checkbox" class="size-5" checked @change="tick(n, checked($event))" />
        <span class="text-vermilion">{{ n }}, which is nothing here</span>
      </label>
    </div>
    <p v-if="!choices.length && !list.length" class="text-sm text-ink-2">There is nothing to pick yet.</p>
    <p v-for="w in wrong" :key="w" class="text-sm text-vermilion">▲ {{ w }}</p>
  </fieldset>
  <label v-else-if="way === 'tick'" class="flex min-h-11 items-center gap-2">
    <input
      type="checkbox"
      class="size-5"
      :data-field="field"
      :checked="value === true"
      @change="set(checked($event) || undefined)"
    />
    <span
      >{{ label }}<span v-if="hint" class="text-sm text-ink-2">: {{ hint }}</span></span
    >
  </label>
  <label v-else class="block">
    <span v-if="!bare" class="label">{{ label }}</span>
    <select
      v-if="way === 'choice'"
      class="field"
      :data-field="field"
      :value="shown"
      :aria-label="label"
      :aria-invalid="wrong.length > 0"
      @change="typed"
    >
      <option v-if="!required || !shown" value="">{{ bare ? '' : '–' }}</option>
      <option v-if="shown && !choices.some((p) => p.name === shown)" :value="shown">{{ shown }}</option>
      <option v-for="p in choices" :key="p.name" :value="p.name">
        {{ p.words ? `${p.name}: ${p.words}` : p.name }}
      </option>
    </select>
    <textarea
      v-else-if="way === 'words' || way === 'lines'"
      class="field"
      :rows="way === 'lines' ? Math.max(2, list.length + 1) : Math.max(1, Math.ceil(shown.length / 60))"
      :aria-label="label"
      :data-field="field"
      :value="way === 'lines' ? list.join('\n') : shown"
      :aria-invalid="wrong.length > 0"
      @change="way === 'lines' ? lines($event) : typed($event)"
    ></textarea>
    <input
      v-else
      class="field"
      :class="way === 'number' && 'num'"
      :inputmode="way === 'number' ? 'decimal' : undefined"
      :data-field="field"
      :value="shown"
      :aria-label="label"
      :aria-invalid="wrong.length > 0"
      :list="picks?.picks.length ? `picks-${field}` : undefined"
      autocomplete="off"
      @change="typed"
    />
    <datalist v-if="way === 'text' && picks?.picks.length" :id="`picks-${field}`">
      <option v-for="p in picks.picks" :key="p.name" :value="p.name">{{ p.words }}</option>
    </datalist>
    <span v-if="way === 'lines' && !bare" class="block text-sm text-ink-2">one a line</span>
    <span v-else-if="!bare && hint" class="block text-sm text-ink-2">{{ hint }}</span>
    <span v-for="w in wrong" :key="w" class="block text-sm text-vermilion">▲ {{ w }}</span>
  </label>
</template>
