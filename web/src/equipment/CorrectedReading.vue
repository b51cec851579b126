<script setup lang="ts">
import { computed, ref } from 'vue'
import NumberField from '../components/NumberField.vue'
import { answer, api } from '../api/client'
import { numberIn, significant } from '../composables/words'
import { useWorking } from '../workings/useWorking'
import type { components } from '../api/schema.gen'

/** A later reading of a device, with what its last run found taken out of it. */
const props = defineProps<{ line: components['schemas']['LineView'] }>()
const typed = ref('')
const input = computed(() => {
  const reading = numberIn(typed.value)
  return Number.isFinite(reading) ? { text: props.line.text, reading: reading!, u: props.line.u } : undefined
})
const { result, problem, behind } = useWorking('correction', input, (body) =>
  answer(api.POST('/api/workings/correction', { body })),
)
</script>

<template>
  <div class="flex flex-wrap items-end gap-x-6 gap-y-1 pt-2">
    <NumberField v-model="typed" class="w-64" :label="line.title" :unit="line.unit" name="later-reading" />
    <p v-if="input && result && !behind" class="pb-1 text-lg">
      is <b class="num">{{ result.volume.toFixed(3) }} {{ line.unit }}</b
      >, U <span class="num">{{ significant(result.u, 2) }} {{ line.unit }}</span>
      <span class="block text-sm text-ink-2 num">{{ result.formula }}</span>
    </p>
    <p v-else-if="input && problem" class="pb-2 text-vermilion">{{ problem.detail }}</p>
  </div>
</template>
