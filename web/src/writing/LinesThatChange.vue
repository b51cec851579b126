<script setup lang="ts">
import type { components } from '../api/schema.gen'

/** The lines that differ between two texts of a procedure. */
defineProps<{ lines: components['schemas']['DiffLine'][]; label: string }>()
const tint = { added: 'bg-petrol-wash', removed: 'bg-vermilion-wash line-through', same: 'text-ink-2' }
const mark = { added: '+', removed: '−', same: ' ' }
</script>

<template>
  <pre
    tabindex="0"
    class="num max-h-[60vh] overflow-auto border border-line bg-sheet p-3 text-sm whitespace-pre-wrap"
    :aria-label="label"
  ><span v-for="(l, i) in lines" :key="i" class="block" :class="tint[l.kind]">{{ mark[l.kind] }} {{ l.text }}</span></pre>
</template>
