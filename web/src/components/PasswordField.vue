<script setup lang="ts">
/** One's own password once more, before something of one's own is set. */
defineProps<{ name: string }>()
const password = defineModel<string>({ required: true })
</script>

<template>
  <label class="block">
    <span class="label">Your password</span>
    <input v-model="password" :name="name" type="password" class="field" autocomplete="current-password" required />
  </label>
</template>
