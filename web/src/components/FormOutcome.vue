<script setup lang="ts">
import { ref } from 'vue'
import AlertNote from './AlertNote.vue'
import type { Problem } from '../api/client'
import { useWrongField } from '../composables/useWrongField'

/** What came of sending the form it stands in: that it is kept, or why it was refused; the field is marked. */
const props = defineProps<{ saved?: string; problem?: Problem }>()
const here = ref<HTMLElement>()
const words = useWrongField(
  () => here.value?.closest<HTMLElement>('form, section'),
  () => props.problem,
)
</script>

<template>
  <div ref="here" class="mb-3 empty:hidden">
    <p v-if="saved" class="border-l-4 border-petrol bg-petrol-wash px-3 py-2" role="status">{{ saved }}</p>
    <AlertNote v-if="problem" :words="words" />
  </div>
</template>
