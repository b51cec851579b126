<script setup lang="ts">
import { computed, nextTick, ref } from 'vue'

/** The procedure as it is written, with its lines counted and those marked on which something is wrong. */
const props = defineProps<{ wrong: number[]; readonly?: boolean }>()
const text = defineModel<string>({ required: true })
const field = ref<HTMLTextAreaElement>()
const gutter = ref<HTMLElement>()
const lines = computed(() => text.value.split('\n').length)
const high = 20
function scrolled() {
  if (gutter.value && field.value) gutter.value.scrollTop = field.value.scrollTop
}
/** Puts the caret on a line. */
async function show(line: number) {
  await nextTick()
  const at =
    text.value
      .split('\n')
      .slice(0, line - 1)
      .join('\n').length + (line > 1 ? 1 : 0)
  const end = text.value.indexOf('\n', at)
  field.value?.focus()
  field.value?.setSelectionRange(at, end < 0 ? text.value.length : end)
  lookAt(line)
}
/** Brings a line into sight, and leaves the focus where it is. */
function lookAt(line: number) {
  if (field.value) field.value.scrollTop = Math.max(0, (line - 6) * high)
}
defineExpose({ show, lookAt })
const marked = computed(() => new Set(props.wrong))
</script>

<template>
  <div class="flex border-[1.5px] border-ink-2 bg-sheet focus-within:outline-3 focus-within:outline-brass">
    <div
      ref="gutter"
      aria-hidden="true"
      class="num w-11 shrink-0 overflow-hidden border-r border-line bg-paper py-2 pr-1 text-right text-[0.75rem] leading-[20px] text-ink-2"
    >
      <div v-for="n in lines" :key="n" :class="marked.has(n) && 'bg-vermilion-wash font-bold text-vermilion'">
        {{ marked.has(n) ? '▲' : '' }}{{ n }}
      </div>
      <div class="h-10"></div>
    </div>
    <textarea
      ref="field"
      v-model="text"
      name="yaml"
      wrap="off"
      aria-label="As it is written (YAML)"
      class="num min-w-0 grow resize-none overflow-auto bg-transparent px-2 py-2 text-[0.8125rem] leading-[20px] outline-none"
      spellcheck="false"
      :readonly="readonly"
      @scroll="scrolled"
    ></textarea>
  </div>
</template>
