<script setup lang="ts">
import type { components } from '../api/schema.gen'
import { significant, unitWords } from '../composables/words'

/** What a laboratory found of a reference before it changed anything, against the certificate before. */
defineProps<{ found: components['schemas']['Moved'][]; mayOpen: boolean }>()
const emit = defineEmits<{ out: [moved: components['schemas']['Moved']] }>()
</script>

<template>
  <ul class="mt-1 text-sm">
    <li v-for="m in found" :key="m.quantity + m.piece" class="py-1">
      <span :class="m.held ? 'text-petrol' : 'font-semibold text-vermilion'"
        >{{ m.held ? '●' : '◆' }} As found: {{ m.piece ?? m.quantity }}
        <span class="num">{{ significant(m.value, 6) }} {{ unitWords(m.unit) }}</span
        >, {{ m.by < 0 ? 'below' : 'above' }} the certified one by
        <span class="num">{{ significant(Math.abs(m.by), 3) }}</span>; it may by
        <span class="num">{{ significant(m.allowed, 3) }}</span></span
      >
      <button v-if="!m.held && mayOpen" class="btn ml-3" @click="emit('out', m)">Look back …</button>
    </li>
  </ul>
</template>
