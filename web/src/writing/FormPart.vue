<script setup lang="ts">
import { fieldOf, type Path } from './procedureText'
import FormFields from './FormFields.vue'
import type { Shape } from './shape'
import { useWriting } from './useWriting'

/** A part of a procedure within another. */
defineProps<{ path: Path; shape: Shape; label: string; hint: string }>()
const writing = useWriting()
</script>

<template>
  <fieldset class="border-l-4 border-line pl-3" :data-field="fieldOf(path)">
    <legend class="label float-left mb-2 w-full">
      <b class="text-ink">{{ label }}</b> {{ hint }}
      <button
        v-if="writing.at(path)"
        type="button"
        class="btn-quiet btn-small ml-2"
        @click="writing.set(path, undefined)"
      >
        Take it out
      </button>
    </legend>
    <p v-for="w in writing.wrongAt(path)" :key="w" class="clear-both text-sm text-vermilion">▲ {{ w }}</p>
    <FormFields class="clear-both" :path="path" :shape="shape" />
  </fieldset>
</template>
