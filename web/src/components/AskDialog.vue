<script lang="ts">
/** What was said last under each title, as long as the page is open. */
const said = new Map<string, string>()
</script>

<script setup lang="ts">
import HoldButton from './HoldButton.vue'
import { computed, ref } from 'vue'
import DialogShell from './DialogShell.vue'

/** Asks for a sentence: a reason, a note. What is grave is held by a finger, not tapped. */
const props = defineProps<{
  title: string
  hint?: string
  label: string
  action: string
  suggestions?: string[]
  grave?: boolean
}>()
const emit = defineEmits<{ done: [text: string]; close: [] }>()
const text = ref('')
const field = ref<HTMLTextAreaElement | null>(null)
/** What was said here last is offered again: it may have been refused. It is never said by itself. */
const offered = computed(() => [
  ...new Set([...(props.suggestions ?? []), ...(said.has(props.title) ? [said.get(props.title)!] : [])]),
])
function submit() {
  const words = text.value.trim()
  if (!words) return field.value?.focus()
  said.set(props.title, words)
  emit('done', words)
}
function choose(suggestion: string) {
  text.value = suggestion
  field.value?.focus()
}
</script>

<template>
  <DialogShell :title="title" :hint="hint" wide="narrow" :initial-focus="field" @close="emit('close')">
    <form @submit.prevent="submit">
      <label class="mt-4 block">
        <span class="label">{{ props.label }}</span>
        <textarea
          ref="field"
          v-model="text"
          rows="3"
          class="field"
          maxlength="1000"
          @keydown.enter.exact.prevent="submit"
        ></textarea>
      </label>
      <div v-if="offered.length" class="mt-2 flex flex-wrap gap-2">
        <button
          v-for="s in offered"
          :key="s"
          type="button"
          class="min-h-11 border border-line px-3 text-left text-sm hover:bg-brass-wash"
          @click="choose(s)"
        >
          {{ s }}
        </button>
      </div>
      <div class="mt-4 flex gap-3">
        <HoldButton v-if="grave" class="btn-main" @press="submit">{{ action }}</HoldButton>
        <button v-else type="submit" class="btn btn-main">{{ action }} <kbd>Enter</kbd></button>
        <button type="button" class="btn" @click="emit('close')">Back <kbd>Esc</kbd></button>
      </div>
    </form>
  </DialogShell>
</template>
