<script setup lang="ts">
import { computed } from 'vue'
import { fieldOf, type Path } from './procedureText'
import { useWriting } from './useWriting'

/** A step or a role of a procedure: one line that says what it is, and opens to all of it. */
const props = defineProps<{ list: string; index: number; count: number; kind: string; title: string; about: string }>()
const writing = useWriting()
const path = computed<Path>(() => [props.list, props.index])
const field = computed(() => fieldOf(path.value))
const open = computed(() => writing.open.value.has(field.value))
const wrong = computed(() => writing.wrongIn(path.value))
function move(by: number) {
  writing.move([props.list], props.index, props.index + by)
}
</script>

<template>
  <li :data-field="field" class="border border-line bg-sheet" :class="{ 'border-l-4 border-l-vermilion': wrong }">
    <div class="flex items-stretch">
      <button
        type="button"
        class="flex min-h-12 min-w-0 grow items-center gap-3 px-3 py-1 text-left hover:bg-brass-wash"
        :aria-expanded="open"
        @click="writing.toggle(field)"
      >
        <span class="num w-6 shrink-0 text-ink-2">{{ index + 1 }}</span>
        <span class="w-16 shrink-0 text-sm text-ink-2">{{ kind }}</span>
        <span class="min-w-0">
          <span class="font-semibold">{{ title }}</span>
          <span v-if="about" class="block truncate text-sm text-ink-2">{{ about }}</span>
        </span>
        <span v-if="wrong" class="ml-auto shrink-0 text-sm text-vermilion">▲ {{ wrong }} wrong</span>
      </button>
      <button
        type="button"
        class="btn-small m-1"
        :disabled="index === 0"
        :aria-label="`${title}: up`"
        @click="move(-1)"
      >
        ↑
      </button>
      <button
        type="button"
        class="btn-small my-1"
        :disabled="index === count - 1"
        :aria-label="`${title}: down`"
        @click="move(1)"
      >
        ↓
      </button>
      <button
        type="button"
        class="btn-small m-1"
        :aria-label="`Take ${title} out`"
        @click="writing.drop([list], index)"
      >
        ×
      </button>
    </div>
    <div v-if="open" class="border-t border-line p-3"><slot /></div>
  </li>
</template>
