<script setup lang="ts">
import { clockTime } from '../composables/words'

/** A time of day, always in 24 hours whatever the browser's language. */
const time = defineModel<string>()
</script>

<template>
  <input
    v-model="time"
    class="field num"
    inputmode="numeric"
    autocomplete="off"
    maxlength="5"
    @change="time = clockTime(($event.target as HTMLInputElement).value)"
  />
</template>
