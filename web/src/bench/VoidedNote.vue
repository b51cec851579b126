<script setup lang="ts">
import { computed } from 'vue'
import type { Finding } from '../api/client'

/** Says that as found is read again, and why; or that the first stands after all. */
const props = defineProps<{ finding: Finding }>()
const last = computed(() => props.finding.voided[props.finding.voided.length - 1])
</script>

<template>
  <p v-if="last" class="mt-2 border-l-4 border-brass bg-brass-wash px-3 py-1.5">
    <template v-if="last.stands">
      <b>The first as found stands.</b> Read again it agreed within its uncertainty, so this was not the cause:
      {{ last.cause }}
    </template>
    <template v-else><b>As found again.</b> The first was not the device’s: {{ last.cause }}</template>
  </p>
</template>
